package check

import (
	"fmt"
	"iter"
	"math"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
)

// What only a browser shows. These checks say nothing of a page that was not opened in one.

// Visits are the records that there are of the page. Of one that leads away at once a browser has seen the page that it
// leads to, and where an error came in its place, it is not a page of the site that it has seen.
func (p *Pass) Visits() (list []*pageload.Record) {
	if p.LeadsAway() {
		return nil
	}
	for _, r := range p.Rendered {
		if r.Unread == "" && !p.InPlace(r) {
			list = append(list, r)
		}
	}
	return list
}

// InPlace reports whether a browser got an error in place of a page that is none.
func (p *Pass) InPlace(r *pageload.Record) bool { return r.Answered() >= 400 && p.Page.Status() < 400 }

// AtTarget adds a finding where the page's text has an element with a target, or at its beginning. What
// several screens show alike is said once.
func (p *Pass) AtTarget(target, item, message, remedy string) *Finding {
	line, column := 1, 1
	for e := range p.All() {
		if e.Target == target && target != "" && Own(e) && e.Line > 0 {
			line, column = e.Line, e.Column
			break
		}
	}
	return p.Once(line, column, item, message, remedy).Of(target)
}

// Once is Report for what has not been reported yet; nil for what has.
func (p *Pass) Once(line, column int, item, message, remedy string) *Finding {
	for f := range p.Told() {
		if f.Line == line && f.Message == message && f.Item == item {
			return nil
		}
	}
	return p.Report(line, column, item, message, remedy)
}

// Told yields what the check that runs has reported so far.
func (p *Pass) Told() iter.Seq[*Finding] {
	return func(yield func(*Finding) bool) {
		for i := range p.reported {
			if p.reported[i].Check == p.running.Name && !yield(&p.reported[i]) {
				return
			}
		}
	}
}

// TextNames reports whether an element of the page's text names a target.
func (p *Pass) TextNames(target string) bool {
	for e := range p.All() {
		if Own(e) && e.Target == target {
			return true
		}
	}
	return false
}

// TextHas reports whether an element of the page's text names a target, or what can be read in its
// code.
func (p *Pass) TextHas(target string) bool {
	if p.TextNames(target) {
		return true
	}
	for e := range p.All() {
		if !Own(e) {
			continue
		}
		for _, list := range [][]inventory.Import{e.Imports, e.Brings, e.Files} {
			if slices.ContainsFunc(list, func(m inventory.Import) bool { return m.Target == target }) {
				return true
			}
		}
	}
	return false
}

// AskedBy tells who asked for a request: " (requested by container.js → tag.js)", or nothing for the
// page.
func AskedBy(r *pageload.Record, i int) string {
	if by := r.Asks(i); by != "" {
		return " (requested by " + by + ")"
	}
	return ""
}

// TrustsAll reports whether every host is expected, since the gate file names none.
func (p *Pass) TrustsAll() bool { return p.Site == nil || len(p.Site.Trust) == 0 }

// EachOut visits the items that are out on the page.
func (p *Pass) EachOut(visit func(it *gatefile.Item)) {
	if p.Gated == nil {
		return
	}
	for i := range p.Gated.Result.Verdicts {
		if v := &p.Gated.Result.Verdicts[i]; !v.In {
			visit(v.Item)
		}
	}
}

// EachHad visits the items that are in and that the page's text has, with the place of the first.
func (p *Pass) EachHad(visit func(it *gatefile.Item, line, column int)) {
	if p.Gated == nil {
		return
	}
	for i := range p.Gated.Items {
		it, x := p.Gated.Gate.File.Items[i], &p.Gated.Items[i]
		if x.Copies() == 0 || !p.IsIn(it.Name) {
			continue
		}
		line, column := 1, 1
		for _, part := range x.Parts {
			if all := slices.Concat(part.At, part.Differs); len(all) > 0 {
				line, column = p.Locate(all[0].Start)
				break
			}
		}
		visit(it, line, column)
	}
}

// IsIn reports whether an item is in on the page.
func (p *Pass) IsIn(item string) bool {
	if p.Gated == nil || item == "" {
		return false
	}
	for i := range p.Gated.Result.Verdicts {
		if v := &p.Gated.Result.Verdicts[i]; v.Item.Name == item {
			return v.In
		}
	}
	return false
}

// A Meta is something that a document says of itself, and the script that put it there, if one did.
type Meta struct {
	Value string
	By    *pageload.By
}

// What documents say besides metadata with a name.
const (
	Alternates     = "alternate link" // such as those to other languages
	StructuredData = "structured data"
)

// MetaOf is what a document says, each time it does: its titles, the contents of metas or links, structured data.
func MetaOf(elements []pageload.DOMElement, what string) (out []Meta) {
	for i := range elements {
		e := &elements[i]
		switch {
		case what == "title" && e.Tag == "title":
			out = append(out, Meta{e.What, e.By})
		case what == "canonical" && e.Tag == "link" && markup.HasRel(e.What, "canonical"):
			out = append(out, Meta{e.URL, e.By})
		case what == Alternates && e.Tag == "link" && markup.HasRel(e.What, "alternate") &&
			!markup.HasRel(e.What, "stylesheet"):
			out = append(out, Meta{e.URL, e.By})
		case what == StructuredData && e.Data != "":
			out = append(out, Meta{e.Data, e.By})
		case e.Tag == "meta":
			if name, content, ok := strings.Cut(e.What, " = "); ok && strings.EqualFold(strings.TrimSpace(name), what) {
				out = append(out, Meta{content, e.By})
			}
		}
	}
	return out
}

// HostTrusted reports whether the gate file expects a host.
func (p *Pass) HostTrusted(host string) bool {
	return p.Site != nil && weburl.Trusts(p.Site.Trust, strings.ToLower(host))
}

// Ms is a time as people say it.
func Ms(x float64) string {
	if x >= 1000 {
		return fmt.Sprintf("%.1f s", x/1000)
	}
	return fmt.Sprintf("%.0f ms", x)
}

// Excess is by how much a visit is over the budgets of its page, as the greatest ratio of what was measured to what a
// budget allows; at most 1 for one that keeps them.
func Excess(p *Pass, r *pageload.Record) (most float64) {
	if p.Gated == nil || r.Unread != "" {
		return 0
	}
	for _, b := range p.Gated.Gate.File.Budgets {
		if !Chosen(b.Pages, p.Gated.Result) {
			continue
		}
		for _, l := range b.Limits {
			if l.Measured() {
				most = max(most, float64(r.Measure(l.Key))/math.Max(float64(l.Most), 0.5))
			}
		}
	}
	return most
}

// TakenApart are the items of a page of which a script took something out during a visit, with what.
func TakenApart(p *Pass, r *pageload.Record) (taken []*pageload.Removed) {
	if len(r.Removed) == 0 {
		return nil
	}
	p.EachHad(func(it *gatefile.Item, _, _ int) {
		if x := r.Took(it.Name, p.Made(it.Name)); x != nil {
			taken = append(taken, x)
		}
	})
	return taken
}

// Made are the elements of an item on the page, other than within noscript and the like.
func (p *Pass) Made(item string) (made []*inventory.Element) {
	for e := range p.All() {
		if e.Item == item && e.Inside == "" {
			made = append(made, e)
		}
	}
	return made
}
