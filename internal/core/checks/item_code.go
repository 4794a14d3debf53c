package checks

import (
	"fmt"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/syntax"
)

// What the code of items may not be, looked for in the marked regions of pages.
// Check and apply refuse such code in the gate file; here it is found where somebody
// changed the output by hand, or another tool did.

var unclosedTag = &Check{
	Name: "unclosed-tag", Family: "code", Severity: gatefile.Error,
	Title: "the code of an item leaves an element open, or closes one it did not open",
	Doc: `What follows on the page then stands inside of the element, or the element around the
item ends with it: the layout breaks, far from the cause. yellowgate check finds it in
the gate file; on a page it means that the page was changed after apply. Mend the code,
and run yellowgate apply.`,
	Bad:  "summer-notice: {code: '<p class=\"notice\"><b>Open late</p>'}",
	Good: "summer-notice: {code: '<p class=\"notice\"><b>Open late</b></p>'}",
	Page: func(p *Pass) {
		p.eachRegion(func(r markup.Region, text []byte) {
			at, name, opened := p.unbalanced(text)
			switch {
			case at < 0 || looksBare(text) != "":
			case opened:
				p.inRegion(r, at, "the code leaves <"+name+"> open: what follows on the page stands in it", "close it with </"+name+">, and run yellowgate apply")
			default:
				p.inRegion(r, at, "the code closes a <"+name+"> that it did not open", "take it out, and run yellowgate apply")
			}
		})
	},
}

var bareCode = &Check{
	Name: "bare-code", Family: "code", Severity: gatefile.Error,
	Title: "the code of an item is CSS or JavaScript in a place for HTML",
	Doc: `Visitors read it as text at the top of the page, and it does nothing. Use style-text or
script-text, or put it into <style> or <script> tags.`,
	Bad:  "counter: {code: 'window.visits = 1;'}",
	Good: "counter: {script-text: 'window.visits = 1;'}",
	Page: func(p *Pass) {
		p.eachRegion(func(r markup.Region, text []byte) {
			if language := looksBare(text); language != "" {
				p.inRegion(r, 0, "this looks like bare "+language+": visitors read it as text", "use script-text or style-text in the gate file, or put it into tags")
			}
		})
	},
}

var codeBreaksHead = &Check{
	Name: "code-breaks-head", Family: "code", Severity: gatefile.Error,
	Title: "the code of an item ends the head",
	Doc: `The head cannot hold what the item puts there, so a browser ends the head at it, and
everything after it falls into the body: titles and canonicals are lost to search
engines. Give the item a place in the body.`,
	Bad:  "count-pixel: {code: '<img src=\"/count.gif\" alt=\"\">', place: head-end}",
	Good: "count-pixel: {code: '<img src=\"/count.gif\" alt=\"\">', place: body-end}",
	Page: func(p *Pass) {
		b := p.Scan.Breaker
		if r := p.regionAt(b.Start); r != nil && !b.None() && !p.Page.Redirect {
			p.inRegion(*r, b.Start-r.Content.Start, fmt.Sprintf("%s, of the item's code, ends the head here%s", p.breaker(), fell(p)), "give the item a place in the body: body-start or body-end")
		}
	},
}

var tagsInText = &Check{
	Name: "tags-in-text", Family: "code", Severity: gatefile.Error,
	Title: "a script or style begins with a tag of its own",
	Doc: `Somebody put code with its <script> or <style> tags into a place that has them already.
The script does not run, or the first rule of the style is lost. Take the inner tags
out: script-text and style-text take the text alone, code takes it with its tags.`,
	Bad:  "<script><script>count()</script></script>",
	Good: "<script>count()</script>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !Own(e) || e.URL != "" || e.Tag != "style" && !e.IsScript() {
				continue
			}
			if at := innerTag(p.Source.Text[e.El.TagEnd:max(e.El.ContentEnd, e.El.TagEnd)]); at >= 0 {
				line, col := markup.NewLocator(p.Source.Text).Locate(e.El.TagEnd + at)
				p.Report(line, col, e.Item, "the "+e.Tag+" begins with a tag of its own", "take the inner tags out")
			}
		}
	},
}

// innerTag is where a script or style begins with a tag; -1 where it does not.
func innerTag(text []byte) int {
	s := strings.ToLower(string(text[:min(len(text), 256)]))
	at := len(s) - len(strings.TrimLeft(s, " \t\r\n\f"))
	for _, tag := range []string{"<script", "<style", "</script", "</style", "<noscript"} {
		if strings.HasPrefix(s[at:], tag) {
			return at
		}
	}
	return -1
}

// looksBare names the language of code without any tags; "" for anything else.
func looksBare(text []byte) string {
	if strings.Contains(string(text), "<") {
		return ""
	}
	return syntax.LooksLike(string(text))
}

// unbalanced is markup.Unbalanced, asked once for all pages that have a text.
func (p *Pass) unbalanced(text []byte) (at int, name string, opened bool) {
	if p.Site == nil {
		return markup.Unbalanced(text)
	}
	type answer struct {
		at     int
		name   string
		opened bool
	}
	key := inlineText{"html", xxh3.Hash128(text)}
	if v, ok := p.Site.parsed.Load(key); ok {
		a := v.(answer)
		return a.at, a.name, a.opened
	}
	at, name, opened = markup.Unbalanced(text)
	p.Site.parsed.Store(key, answer{at, name, opened})
	return at, name, opened
}

// eachRegion visits the marked regions of the page's items.
func (p *Pass) eachRegion(visit func(r markup.Region, text []byte)) {
	for _, r := range p.Scan.Regions() {
		visit(r, p.Source.Text[r.Content.Start:r.Content.End])
	}
}

// regionAt is the marked region at an offset, or nil.
func (p *Pass) regionAt(offset int) *markup.Region {
	for _, r := range p.Scan.Regions() {
		if r.Content.Start <= offset && offset < r.Content.End {
			return &r
		}
	}
	return nil
}

// inRegion adds a finding at an offset of a marked region's content.
func (p *Pass) inRegion(r markup.Region, at int, message, remedy string) {
	line, col := markup.NewLocator(p.Source.Text).Locate(r.Content.Start + at)
	p.Report(line, col, r.Name, message, remedy)
}
