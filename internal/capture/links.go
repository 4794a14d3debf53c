package capture

import (
	"bytes"
	"net/url"
	"path"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/syntax"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/project"
)

// What pages, stylesheets and scripts lead to.

// A reference is an address that a page or a file names, as it is written.
type reference struct {
	raw  string
	page bool // it may lead to another page; else it is a file that the page loads
	head bool // it stands in the answer's head: the page's base is not its base
}

// pageReferences lists what a page leads to and what it loads, and its base.
func pageReferences(body []byte, answer *page.Answer) (base string, out []reference) {
	src := markup.ReadAs(body, answer.Charset())
	scan := markup.ScanTags(src.Text, nil)
	base, _ = markup.BaseHref(src, scan)
	for _, t := range scan.Tags {
		out = append(out, tagReferences(src, int(t.Start))...)
	}
	for _, l := range answer.Links() {
		switch rel := l.Params["rel"]; {
		case markup.HeaderLoads(rel):
			out = append(out, reference{raw: l.Target, head: true})
		case leadsOn(rel):
			out = append(out, reference{raw: l.Target, page: true, head: true})
		}
	}
	if to := page.RefreshTo(answer.Field("refresh")); to != "" {
		out = append(out, reference{raw: to, page: true, head: true})
	}
	for i := range scan.Elements {
		if e := &scan.Elements[i]; e.ContentEnd > e.TagEnd {
			out = append(out, codeReferences(src, e)...)
		}
	}
	return base, out
}

// tagReferences lists what the tag at an offset leads to and loads.
func tagReferences(src *markup.Source, at int) (out []reference) {
	add := func(attr string, isPage bool) {
		if v, ok := src.Attr(at, attr); ok && strings.TrimSpace(v) != "" {
			out = append(out, reference{raw: v, page: isPage})
		}
	}
	switch markup.TagName(src.Text, at) {
	case "a", "area":
		add("href", true)
	case "iframe", "frame", "embed":
		add("src", true)
	case "script", "img", "source", "audio", "video", "track":
		add("src", false)
		add("poster", false)
		if v, ok := src.Attr(at, "srcset"); ok {
			for candidate := range strings.SplitSeq(v, ",") {
				if words := strings.Fields(candidate); len(words) > 0 {
					out = append(out, reference{raw: words[0]})
				}
			}
		}
	case "object":
		add("data", true)
	case "input":
		add("src", false)
	case "meta":
		if v, _ := src.Attr(at, "http-equiv"); strings.EqualFold(strings.TrimSpace(v), "refresh") {
			content, _ := src.Attr(at, "content")
			if to := page.RefreshTo(content); to != "" {
				out = append(out, reference{raw: to, page: true})
			}
		}
	case "link":
		rel, _ := src.Attr(at, "rel")
		switch {
		case markup.LinkLoads(src.Text, at):
			add("href", false)
		case leadsOn(rel):
			add("href", true)
		}
	}
	return out
}

// codeReferences lists what inline code loads.
func codeReferences(src *markup.Source, e *markup.Element) (out []reference) {
	text := src.Text[e.TagEnd:e.ContentEnd]
	switch {
	case e.Tag == markup.TagStyle:
		return styleReferences(text)
	case e.Tag == markup.TagScript && markup.ScriptType(src.Text, e.Start) == markup.Module:
		return append(moduleReferences(text), scriptReferences(text, true)...)
	case e.Tag == markup.TagScript && markup.ScriptType(src.Text, e.Start) == markup.Classic:
		return scriptReferences(text, true)
	}
	return nil
}

// scriptReferences lists what a script loads, as far as its text tells. What it does not import it loads from where
// the page is: of a script that is a file itself, of no one page, that is known where it is the same everywhere.
func scriptReferences(text []byte, ofPage bool) (out []reference) {
	if len(text) > inventory.MaxScript {
		return nil
	}
	for _, x := range syntax.ScriptAsks(text).List {
		if everywhere := strings.HasPrefix(x.URL, "/") || weburl.IsAbsolute(x.URL); !x.Open && x.URL != "" &&
			(ofPage || everywhere || x.Tag == "import" && !weburl.IsBare(x.URL)) {
			out = append(out, reference{raw: x.URL, page: x.Tag == "iframe"})
		}
	}
	return out
}

// leadsOn reports whether a link leads to a page.
func leadsOn(rel string) bool {
	return markup.HasRel(rel, "canonical") || markup.HasRel(rel, "alternate") || markup.HasRel(rel, "next") ||
		markup.HasRel(rel, "prev")
}

func styleReferences(text []byte) (out []reference) {
	for _, u := range syntax.StyleImports(text) {
		out = append(out, reference{raw: u})
	}
	for _, u := range syntax.StyleURLs(text) {
		out = append(out, reference{raw: u.URL})
	}
	return out
}

func moduleReferences(text []byte) (out []reference) {
	for _, u := range syntax.ModuleImports(text) {
		if !weburl.IsBare(u) { // that only an import map knows
			out = append(out, reference{raw: u})
		}
	}
	return out
}

// fileReferences lists what a stylesheet or script loads.
func fileReferences(file string, body []byte) []reference {
	switch strings.ToLower(path.Ext(file)) {
	case ".css":
		return styleReferences(body)
	case ".js", ".mjs":
		out := scriptReferences(body, false)
		if bytes.Contains(body, []byte("import")) || bytes.Contains(body, []byte("export")) {
			out = append(out, moduleReferences(body)...)
		}
		return out
	}
	return nil
}

// FileOf is where an address is kept, relative to the folder: a page as a file whose path is the
// page's. why says why it cannot be kept.
func FileOf(u *url.URL, isPage, withQuery bool) (file, why string) {
	p := page.Clean(u.EscapedPath())
	if strings.HasSuffix(u.Path, "/") && p != "/" && !strings.HasSuffix(p, "/") {
		p += "/"
	}
	query := ""
	if withQuery && u.RawQuery != "" {
		query = "?" + u.RawQuery
	}
	for segment := range strings.SplitSeq(strings.Trim(p, "/"), "/") {
		switch {
		case segment == "" && strings.Trim(p, "/") != "", segment == "." || segment == "..":
			return "", "its path has empty or dotted parts"
		case strings.HasPrefix(segment, "."):
			return "", "a part of its path begins with a dot"
		case strings.ContainsAny(segment, "\\\x00") || strings.ContainsFunc(segment,
			func(r rune) bool { return r < ' ' || r == 0x7f }):
			return "", "its path has characters that no file name should have"
		case strings.EqualFold(segment, project.GateFileName):
			return "", "a file of that name decides: a site does not bring its own"
		case len(segment)+len(query) > 200:
			return "", "a part of its path is longer than 200 bytes"
		}
	}
	file = strings.TrimPrefix(p, "/")
	if !isPage {
		if file == "" || strings.HasSuffix(file, "/") {
			return "", "it has no name, and is not a page"
		}
		return file + nameOfQuery(query), ""
	}
	ext := strings.ToLower(path.Ext(file))
	switch {
	case file == "" || strings.HasSuffix(file, "/"):
		return file + "index" + nameOfQuery(query) + ".html", ""
	case ext == ".html" || ext == ".htm":
		return strings.TrimSuffix(file, path.Ext(file)) + nameOfQuery(query) + path.Ext(file), ""
	}
	return file + nameOfQuery(query) + "/index.html", "" // /visit and /visit/ are one page
}

// nameOfQuery is a query as a part of a file's name.
func nameOfQuery(query string) string {
	if query == "" {
		return ""
	}
	return queryEscapes.Replace(query)
}

var queryEscapes = strings.NewReplacer("/", "%2F", "\\", "%5C")
