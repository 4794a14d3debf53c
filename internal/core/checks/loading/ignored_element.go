package loading

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var ignoredElement = &check.Check{
	Name: "ignored-element", Family: "loading", Severity: problem.Error,
	Title: "browsers ignore what stands there",
	Doc: `The element looks as if it loaded or ran something, and a browser does nothing with it: the
text of a script that has a src, a script whose type is misspelt, a link whose rel is
misspelt, an attribute that is misspelt, a preload that does not say as what, a font that is
preloaded without crossorigin (it is fetched twice), an element that is closed as in XML, by a
slash that HTML does not heed, so that it goes on. Nothing reports it but the source.`,
	Bad:  "<link rel=\"stylsheet\" href=\"/css/site.css\">",
	Good: "<link rel=\"stylesheet\" href=\"/css/site.css\">",
	Page: func(p *check.Pass) {
		set := "" // of stylesheets, by their title
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.Tag != "script" && e.Tag != "link" {
				continue
			}
			if e.IsStylesheet() {
				set = ignoredStyle(p, e, set)
			}
			if wrong, meant := misspelt(p, e); wrong != "" {
				p.At(e,
					fmt.Sprintf("a browser knows no attribute %s on a %s (did you mean %q?)", wrong, e.Tag, meant),
					"mend the attribute's name")
				continue
			}
			if e.Tag == "script" {
				ignoredScript(p, e)
			} else {
				ignoredLink(p, e)
			}
		}
		selfClosed(p)
	},
}

func ignoredScript(p *check.Pass, e *inventory.Element) {
	kind, typed := p.Source.Attr(e.El.Start, "type")
	kind = strings.ToLower(strings.TrimSpace(kind))
	if check.Swallows(p, e) && (!typed || e.IsScript()) {
		p.At(e, "/> does not close a script: all up to the next </script> belongs to it, and is not shown",
			"write </script> behind it")
		return
	}
	if _, external := markup.AttrValue(p.Source.Text, e.El.Start, "src"); external && e.El.ContentEnd > e.El.TagEnd &&
		(!typed || e.IsScript()) {
		if text := strings.TrimSpace(string(p.Source.Text[e.El.TagEnd:e.El.ContentEnd])); text != "" &&
			!onlyComments(text) {
			f := p.At(e,
				"the script has a src, so browsers do not run the code inside: "+
					wording.Cut(markup.CollapseSpace(text), 40), "give that code an element of its own")
			if mayReadItself(p, e) {
				f.Severity, f.Remedy = problem.Note,
					"if the script that is loaded does not read it, give that code an element of its own"
			}
			return
		}
	} else if e.IsScript() && !external {
		for _, name := range []string{"defer", "async"} {
			if _, ok := markup.AttrValue(p.Source.Text, e.El.Start, name); ok && e.Runs != "module" {
				p.At(e, "the script has no src, so browsers ignore "+name,
					"take it out, or put the code into a file").Severity = problem.Note
				return
			}
		}
	}
	if !typed || e.IsScript() || kind == "" || slices.Contains(scriptTypes, kind) {
		return
	}
	if meant := close(kind, scriptTypes); meant != "" {
		p.At(e, fmt.Sprintf("no browser runs a script of the type %q (did you mean %q?)", kind, meant),
			"mend the type, or leave it out: JavaScript needs none")
	}
}

// mayReadItself reports whether the file that a script loads may read what stands in the element: where it cannot
// be read, or asks for scripts of the page.
func mayReadItself(p *check.Pass, e *inventory.Element) bool {
	if p.Site == nil || p.Site.Read == nil || !e.Ref.Own {
		return true
	}
	text, ok := p.Site.Read(e.Ref.Path)
	return ok && (bytes.Contains(text, []byte("currentScript")) || bytes.Contains(text, []byte("innerHTML")) ||
		bytes.Contains(text, []byte("textContent")) || bytes.Contains(text, []byte(".text")))
}

// onlyComments reports whether code is comments alone: what some tools write there.
func onlyComments(code string) bool {
	for code != "" {
		switch {
		case strings.HasPrefix(code, "//"):
			_, code, _ = strings.Cut(code, "\n")
		case strings.HasPrefix(code, "/*"):
			_, code, _ = strings.Cut(code, "*/")
		case strings.HasPrefix(code, "<!--"):
			_, code, _ = strings.Cut(code, "\n")
		default:
			return false
		}
		code = strings.TrimSpace(code)
	}
	return true
}

var scriptTypes = []string{
	"text/javascript", "application/javascript", "module", "importmap", "speculationrules",
	"application/json", "application/ld+json",
}

// ignoredStyle looks at a stylesheet that a browser loads and does not apply. set is the title of those that it
// applies, "" while none has one; it returns that.
func ignoredStyle(p *check.Pass, e *inventory.Element, set string) string {
	_, later := markup.AttrValue(p.Source.Text, e.El.Start, "onload") // which gives it another medium
	if media, ok := p.Source.Attr(e.El.Start, "media"); ok && !later {
		if wrong := unknownMedia(strings.ToLower(media)); wrong != "" {
			p.At(e, wrong+": the stylesheet never applies", "mend the media")
		}
	}
	title, _ := p.Source.Attr(e.El.Start, "title")
	switch {
	case title == "" || strings.Contains(strings.ToLower(e.Rel), "alternate"):
	case set == "":
		return title
	case title != set:
		p.At(e, fmt.Sprintf("the stylesheet belongs to the set %q, and a browser applies the first, %q", title, set),
			"take the title out, or make it rel=\"alternate stylesheet\"")
	}
	return set
}

// unknownMedia says which word of a list of media queries no browser knows, so that its query never matches (Media
// Queries 4, 3.2); "" for none. Of a feature that is nothing like a known one it says nothing: it may be a new one.
func unknownMedia(list string) string {
	for query := range strings.SplitSeq(list, ",") {
		words := strings.Fields(query)
		if len(words) > 1 && (words[0] == "only" || words[0] == "not") {
			words = words[1:]
		}
		if len(words) > 0 && words[0][0] != '(' && words[0] != "not" && !slices.Contains(mediaTypes, words[0]) {
			return fmt.Sprintf("there is no medium %q%s", words[0], didyoumean.Suggest(words[0], mediaTypes))
		}
	}
	for _, m := range mediaFeature.FindAllStringSubmatch(list, -1) {
		name := strings.TrimPrefix(strings.TrimPrefix(m[1], "min-"), "max-")
		if slices.Contains(mediaFeatures, name) {
			continue
		}
		if meant := close(name, mediaFeatures); meant != "" {
			return fmt.Sprintf("there is no media feature %q (did you mean %q?)", m[1], strings.Replace(m[1], name, meant, 1))
		}
	}
	return ""
}

// mediaFeature finds the name of a media feature that stands first in its parentheses.
var mediaFeature = regexp.MustCompile(`\(\s*([a-z-]+)\s*[:)<>=]`)

// mediaFeatures are those of Media Queries 5, 4 to 12, without min- and max-.
var mediaFeatures = strings.Fields(`width height aspect-ratio orientation resolution scan grid update
	overflow-block overflow-inline environment-blending display-mode color color-index monochrome color-gamut
	dynamic-range video-dynamic-range inverted-colors pointer hover any-pointer any-hover nav-controls
	prefers-reduced-motion prefers-reduced-transparency prefers-contrast prefers-color-scheme prefers-reduced-data
	forced-colors scripting device-width device-height device-aspect-ratio`)

// mediaTypes are those of Media Queries 4, 2.3, and those that were ones: they match nothing, and no longer mean a
// slip.
var mediaTypes = []string{
	"all",
	"screen",
	"print",
	"speech",
	"aural",
	"braille",
	"embossed",
	"handheld",
	"projection",
	"tty",
	"tv",
}

func ignoredLink(p *check.Pass, e *inventory.Element) {
	rel := strings.ToLower(e.Label)
	words := strings.Fields(rel)
	as, _ := markup.AttrValue(p.Source.Text, e.El.Start, "as")
	as = strings.ToLower(strings.TrimSpace(as))
	switch {
	case len(words) == 0 && e.URL != "" && described(p, e): // microdata, RDFa or an old rev say what it is
	case len(words) == 0 && e.URL != "":
		p.At(e, "the link has no rel: a browser does nothing with it", `say what it is: rel="stylesheet", rel="icon"`)
	case slices.Contains(words, "preload") && as == "":
		p.At(e, "the preload does not say as what: a browser does not fetch it",
			`add as="style", as="script", as="font", as="image" or as="fetch"`)
	case slices.Contains(words, "preload") && as == "font":
		if _, ok := markup.AttrValue(p.Source.Text, e.El.Start, "crossorigin"); !ok {
			p.At(e, "the font is preloaded without crossorigin: a browser fetches it again when it needs it",
				"add crossorigin")
		}
	case e.URL != "" && len(words) == 1 && !slices.Contains(linkTypes, words[0]) && !slices.Contains(otherTypes, words[0]):
		if meant := close(words[0], linkTypes); meant != "" {
			p.At(e, fmt.Sprintf("no browser knows rel=%q (did you mean %q?)", words[0], meant), "mend the rel")
		}
	}
}

func described(p *check.Pass, e *inventory.Element) bool {
	for _, name := range []string{"itemprop", "property", "typeof", "resource", "rev"} {
		if _, ok := markup.AttrValue(p.Source.Text, e.El.Start, name); ok {
			return true
		}
	}
	return false
}

// linkTypes are those with which a browser or a search engine does something (HTML, 4.6.7).
var linkTypes = []string{
	"stylesheet", "canonical", "icon", "preload", "modulepreload", "prefetch", "preconnect", "dns-prefetch",
	"manifest", "alternate", "apple-touch-icon",
}

// otherTypes are words that are near to these and mean something else.
var otherTypes = []string{
	"prerender", "preloads", "alternative", "icons", "bookmark", "index", "contents", "prev", "next", "up",
	"help", "license", "author", "search", "glossary", "copyright", "section", "chapter", "first", "last",
	"start", "made", "home", "pingback", "shortlink", "amphtml", "me", "shortcut",
}

// misspelt finds an attribute that nobody knows on an element that thereby lacks one.
func misspelt(p *check.Pass, e *inventory.Element) (wrong, meant string) {
	needs := "src"
	if e.Tag == "link" {
		needs = "href"
	}
	if _, has := markup.AttrValue(p.Source.Text, e.El.Start, needs); has ||
		e.El.ContentEnd > e.El.TagEnd && e.Tag == "script" {
		return "", ""
	}
	tag := p.Source.Text[:e.El.TagEnd]
	i := e.El.Start + 1 + len(e.Tag)
	for {
		a, next, ok := markup.NextAttr(tag, i)
		if !ok {
			return "", ""
		}
		i = next
		name := strings.ToLower(string(tag[a.Name.Start:a.Name.End]))
		if len(name) <= len(needs)+1 && name != "rel" && name != "as" && name != "id" && name != "rev" &&
			didyoumean.Distance(name, needs) <= 2 &&
			sameLetters(name, needs) {
			return name, needs
		}
	}
}

// sameLetters reports whether two words share all letters but one: scr and src, herf and href.
func sameLetters(a, b string) bool {
	missing := 0
	for _, c := range b {
		if strings.ContainsRune(a, c) {
			a = strings.Replace(a, string(c), "", 1)
		} else {
			missing++
		}
	}
	return missing+len(a) <= 1
}

// close is the one of some words that differs from a word by one or two letters; "" for none.
func close(word string, from []string) string {
	for _, w := range from {
		if d := didyoumean.Distance(word, w); d == 1 || d == 2 && len(w) >= 8 {
			return w
		}
	}
	return ""
}
