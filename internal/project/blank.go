package project

import (
	"fmt"
	"html"
	"sort"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/site"
)

// blankPages adds the pages that the gate makes to those of the source. A path
// that exists already is an error.
func (p *Project) blankPages() error {
	g := p.Gate.File
	if len(g.Blank) == 0 {
		return nil
	}
	have := map[string]string{}
	for i := range p.Pages {
		have[p.Pages[i].Key()] = p.Pages[i].File
	}
	files := map[string]bool{}
	for _, f := range p.Files {
		files[f.Path] = true
	}
	p.Made = map[string][]byte{}
	var problems []problem.Problem
	for _, b := range g.Blank {
		file := blankFile(b.Path.Value, g.Site.Spelling.Extensionless)
		other := have[page.Key(b.Path.Value)]
		if other == "" && files[file] {
			other = file
		}
		if other != "" {
			problems = append(problems, problem.Problem{Severity: problem.Error, Pos: b.Path.Pos,
				Line:    LineOf(g.TextOf(b.Path.Pos.File), b.Path.Pos.Line),
				Message: fmt.Sprintf("the blank page %s exists already: %s", b.Path.Value, other),
				Remedy:  "give it another path, or take the file out of the source"})
			continue
		}
		text := blankPage(b)
		p.Made[file] = text
		p.Files = append(p.Files, site.File{Path: file, Size: int64(len(text)), Page: true})
		p.Pages = append(p.Pages, page.Page{Path: g.Site.Spelling.PathOf(file), File: file})
	}
	if len(problems) > 0 {
		return &GateError{problems}
	}
	sort.Slice(p.Files, func(i, j int) bool { return p.Files[i].Path < p.Files[j].Path })
	return nil
}

// Blank are the texts of the pages that the gate makes, before they are gated, by their files.
func (p *Project) Blank() map[string][]byte {
	p.blankOnce.Do(func() {
		g := p.Gate.File
		p.blank = make(map[string][]byte, len(g.Blank))
		for _, b := range g.Blank {
			p.blank[blankFile(b.Path.Value, g.Site.Spelling.Extensionless)] = blankPage(b)
		}
	})
	return p.blank
}

// blankFile is the file of a page that the gate makes.
func blankFile(path string, extensionless bool) string {
	clean := strings.TrimPrefix(page.Clean(path), "/")
	switch {
	case clean == "" || strings.HasSuffix(clean, "/"):
		return clean + "index.html"
	case site.IsPage(clean):
		return clean
	case extensionless:
		return clean + ".html"
	}
	return clean + "/index.html"
}

// blankPage writes a page with a head and a body and nothing else.
func blankPage(b *gatefile.BlankPage) []byte {
	lang := ""
	if b.Lang.Value != "" {
		lang = ` lang="` + html.EscapeString(b.Lang.Value) + `"`
	}
	var t strings.Builder
	t.WriteString("<!doctype html>\n<html" + lang + ">\n<head>\n  <meta charset=\"utf-8\">\n")
	if b.Title.Value != "" {
		t.WriteString("  <title>" + html.EscapeString(b.Title.Value) + "</title>\n")
	}
	t.WriteString("  <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n</head>\n<body>\n")
	if body := strings.TrimRight(b.Body.Value, "\n"); body != "" {
		t.WriteString(body + "\n")
	}
	t.WriteString("</body>\n</html>\n")
	return []byte(t.String())
}
