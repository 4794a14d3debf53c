package checks

import (
	"bytes"
	"fmt"
	"sort"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

var repeatedId = &Check{
	Name: "repeated-id", Family: "popups", Severity: gatefile.Error,
	Title: "the id of a popup stands twice on the page",
	Doc: `A link to the fragment, and the script that opens the popup, find the first element
with the id: it may be the wrong one. Give one of them another id.`,
	Bad:  "<h2 id=\"letter\">The letter</h2> <dialog id=\"letter\" aria-label=\"The letter\"><p>Dear visitor</p></dialog>",
	Good: "<h2 id=\"about-the-letter\">The letter</h2> <dialog id=\"letter\" aria-label=\"The letter\"><p>Dear visitor</p></dialog>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "dialog" || !Own(e) || e.Label == "" || strings.ContainsAny(e.Label, `"\\`) {
				continue
			}
			for _, at := range p.withID(e.Label) {
				if at != e.El.Start {
					line, col := markup.NewLocator(p.Source.Text).Locate(at)
					p.Report(line, col, e.Item, fmt.Sprintf("the id %q is that of the dialog in line %d, too", e.Label, e.Line), "give one of them another id")
				}
			}
		}
	},
}

// withID lists the offsets of the start tags that have an id. One that is written
// with character references is not looked for.
func (p *Pass) withID(id string) (out []int) {
	src, tags := p.Source.Text, p.Scan.Tags
	if tags == nil {
		tags = markup.ScanTags(src, nil).Tags
	}
	for at := 0; ; {
		n := bytes.Index(src[at:], []byte(id))
		if n < 0 {
			return out
		}
		at += n
		i := sort.Search(len(tags), func(i int) bool { return int(tags[i].Start) > at }) - 1
		at += len(id)
		if i < 0 || int(tags[i].End) < at || len(out) > 0 && out[len(out)-1] == int(tags[i].Start) {
			continue
		}
		if v, _ := p.Source.Attr(int(tags[i].Start), "id"); v == id {
			out = append(out, int(tags[i].Start))
		}
	}
}
