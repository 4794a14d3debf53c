package report

import (
	_ "embed"
	"fmt"
	"io"
	"slices"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// What a gate file decides, for somebody who reads no gate files.

//go:embed overview.html
var overviewPage string

var overviewTemplate = lazily("overview", &overviewPage)

// overviewRow is a thing on pages of a kind.
type overviewRow struct {
	Item, On, Why, Decided string
	Is                     []string
}

// overviewKind is a kind of pages, with what loads there and not on all pages.
type overviewKind struct {
	Name, Title, About string
	Rows               []overviewRow
}

// overviewThing is a thing with its weight and who decided it, in words.
type overviewThing struct {
	*result.Thing
	Weight, Decided, Needs string
}

// overviewMain is a main page as it is listed.
type overviewMain struct {
	Page, Hidden string
	Frames       []htmlFrame
}

// decidedInWords says who decided something, and when.
func decidedInWords(d *result.Decided) string {
	switch {
	case d.Number == 0 && d.Pending:
		return "not in effect yet"
	case d.Number == 0:
		return "not known: the history has nothing of it"
	}
	out := d.Who + ", " + d.Time.Local().Format("2 January 2006")
	if d.First {
		out += ", or before"
	}
	if d.How != "" {
		out += ": " + d.How
	}
	if d.Pending {
		out += " (not in effect yet)"
	}
	return out
}

// weightInWords is what a thing adds to a page.
func weightInWords(t *result.Thing) string {
	switch {
	case t.Bytes > 0 && t.Unknown:
		return wording.Size(int64(t.Bytes)) + ", rest unknown"
	case t.Bytes > 0:
		return wording.Size(int64(t.Bytes))
	case t.Unknown:
		return "unknown"
	}
	return ""
}

// sumOf says in a line what there is.
func sumOf(o *result.Overview) string {
	out := fmt.Sprintf("%s on %s.", wording.Count(len(o.Items), "thing"), wording.Count(o.Pages, "page"))
	for i := range o.History {
		if e := &o.History[i]; e.What == "apply" {
			out += fmt.Sprintf(" Last put into effect on %s by %s.", e.Time.Local().Format("2 January 2006"), e.Who)
			break
		}
	}
	return out
}

// kindsOf are the kinds of pages, each with what it has beside what all pages have.
func kindsOf(o *result.Overview) (out []overviewKind) {
	things := map[string]*result.Thing{}
	for i := range o.Items {
		things[o.Items[i].Item] = &o.Items[i]
	}
	var everywhere []string // on most pages: it stands with all pages, and not again with each kind
	for i := range o.Kinds {
		k := &o.Kinds[i]
		if k.Pages == 0 {
			continue
		}
		x := overviewKind{Name: k.Name, Title: strings.ToUpper(k.Name[:1]) + k.Name[1:]}
		without := slices.Clone(everywhere)
		var also []string
		for _, l := range k.Loads {
			without = slices.DeleteFunc(without, func(item string) bool { return item == l.Item })
			switch {
			case i == 0 && l.On*2 <= k.Pages:
				continue
			case i == 0:
				everywhere = append(everywhere, l.Item)
			case l.On == k.Pages && slices.Contains(everywhere, l.Item):
				also = append(also, l.Item)
				continue
			}
			t := things[l.Item]
			row := overviewRow{Item: l.Item, Is: t.Is, Why: t.Why, Decided: decidedInWords(&t.Decided)}
			switch {
			case l.On == k.Pages:
			case l.On == len(l.Some) && i > 0:
				row.On = "only on " + wording.List(l.Some, len(l.Some))
			default:
				row.On = fmt.Sprintf("on %d of %s", l.On, wording.Count(k.Pages, "page"))
			}
			x.Rows = append(x.Rows, row)
		}
		x.About = kindInWords(o, i, also, without)
		out = append(out, x)
	}
	return out
}

// kindInWords says which pages a kind has, and what of most pages is there, or not.
func kindInWords(o *result.Overview, i int, also, without []string) string {
	k := &o.Kinds[i]
	some := wording.List(k.Some, len(k.Some))
	if k.Pages > len(k.Some) {
		some = fmt.Sprintf("%s and %s more", strings.Join(k.Some, ", "), wording.Number(k.Pages-len(k.Some)))
	}
	var out []string
	add := func(s string) {
		if s != "" {
			out = append(out, strings.ToUpper(s[:1])+s[1:])
		}
	}
	switch {
	case i == 0:
		add("what is on most of the " + wording.Count(k.Pages, "page") + ".")
	case i > 1:
		add(strings.TrimPrefix(k.Query+": ", ": ") + wording.Count(k.Pages, "page") + ", " + some + ".")
	}
	add(k.Note)
	if len(also) > 0 {
		add("as on most pages: " + strings.Join(also, ", ") + ".")
	}
	if len(without) > 0 {
		add("not here: " + strings.Join(without, ", ") + ".")
	}
	return strings.Join(out, " ")
}

// thingsOf are all things, with their weights in words.
func thingsOf(o *result.Overview) (out []overviewThing) {
	for i := range o.Items {
		t := &o.Items[i]
		out = append(out, overviewThing{t, weightInWords(t), decidedInWords(&t.Decided), strings.Join(t.Needs, ", ")})
	}
	return out
}

// OverviewHTML writes an overview as a page of HTML that loads nothing.
func OverviewHTML(w io.Writer, o *result.Overview) error {
	var main []overviewMain
	for i := range o.Main {
		after := o.Main[i].After
		l := htmlListed{"", pictureText(after.Shared.File, o.Pictures[after.Shared.File]), after}
		m := overviewMain{Page: o.Main[i].Page, Hidden: after.Hidden}
		for n, f := range l.Shown() {
			if n == 0 || f.Shared {
				m.Frames = append(m.Frames, f)
			}
		}
		main = append(main, m)
	}
	return overviewTemplate().Execute(safeHTML{w}, struct {
		*result.Overview
		Sum     string
		Kinds   []overviewKind
		Things  []overviewThing
		Main    []overviewMain
		History []htmlEntry
	}{o, sumOf(o), kindsOf(o), thingsOf(o), main, entriesInWords(o.History)})
}

// entriesInWords are entries of the history, as a page shows them.
func entriesInWords(entries []result.HistoryEntry) (out []htmlEntry) {
	for i := range entries {
		e := &entries[i]
		out = append(out, htmlEntry{
			HistoryEntry: *e, When: e.Time.Local().Format("2006-01-02 15:04"), Says: entrySays(e),
		})
	}
	return out
}

// entrySays says in words what an entry of the history is.
func entrySays(e *result.HistoryEntry) string {
	switch {
	case e.What == "edit":
		return "the gate file was changed: " + e.Command
	case e.What == "kept":
		return "kept before going back"
	case e.Message != "":
		return "put into effect: " + e.Message
	}
	return "put into effect"
}

// markdownText is Markdown that is written line by line.
type markdownText struct{ strings.Builder }

func (b *markdownText) line(format string, args ...any) { fmt.Fprintf(b, format+"\n", args...) }

// OverviewMarkdown writes an overview as Markdown (CommonMark, with tables).
func OverviewMarkdown(w io.Writer, o *result.Overview) error {
	var b markdownText
	b.line("# What loads on %s, and why\n", text(o.Site))
	b.line("%s\n\n## By kind of page", text(sumOf(o)))
	for _, k := range kindsOf(o) {
		b.kind(&k)
	}
	b.things(o)
	b.hosts(o)
	b.said("Titles and descriptions", o.Rules)
	b.said("Single pages", o.Alone)
	if len(o.Main) > 0 {
		b.line("\n## How pages are listed\n\n| page | title | description |\n|---|---|---|")
	}
	for _, m := range o.Main {
		b.line("| %s | %s | %s |", text(m.Page), text(m.After.Title), text(m.After.Description))
	}
	b.history(o)
	b.line("\nMade by yellowgate report from %s, %s.", text(o.Gate), o.Day)
	_, err := io.WriteString(w, b.String())
	return err
}

func (b *markdownText) kind(k *overviewKind) {
	b.line("\n### %s\n\n%s", text(k.Title), text(k.About))
	if len(k.Rows) == 0 {
		b.line("\nNothing of its own.")
		return
	}
	b.line("\n| what | it is | why | decided by |\n|---|---|---|---|")
	for _, r := range k.Rows {
		what := r.Item
		if r.On != "" {
			what += " (" + r.On + ")"
		}
		b.line("| %s | %s | %s | %s |", what, semicolons(r.Is), text(r.Why), text(r.Decided))
	}
}

func (b *markdownText) things(o *result.Overview) {
	b.line("\n## Everything, one by one\n")
	b.line("| what | it is | where | pages | adds | why | decided by |\n|---|---|---|--:|--:|---|---|")
	for _, t := range thingsOf(o) {
		where := t.Where
		if t.Kept != "" {
			where = t.Kept + "; " + where
		}
		b.line("| %s | %s | %s | %d | %s | %s | %s |", t.Item, semicolons(t.Is),
			semicolons(append([]string{where}, t.Notes...)), t.On, text(t.Weight), text(t.Why), text(t.Decided))
	}
}

func (b *markdownText) hosts(o *result.Overview) {
	b.line("\n## Other companies\n")
	if len(o.Hosts) == 0 {
		b.line("None: nothing listed here loads from anybody else.")
		return
	}
	b.line("| address | brought by | pages |\n|---|---|--:|")
	for _, h := range o.Hosts {
		b.line("| %s | %s | %d |", text(h.Host), strings.Join(h.Items, ", "), h.Pages)
	}
}

func (b *markdownText) said(title string, list []result.Said) {
	if len(list) == 0 {
		return
	}
	b.line("\n## %s\n\n| where | what | why |\n|---|---|---|", title)
	for _, s := range list {
		b.line("| %s | %s | %s |", text(s.Where), semicolons(s.Says), text(s.Note))
	}
}

func (b *markdownText) history(o *result.Overview) {
	b.line("\n## Who decided what\n")
	if len(o.History) == 0 {
		b.line("Nothing is kept yet: the history begins with the next yellowgate apply.")
		return
	}
	b.line("| n | when | who | what |\n|--:|---|---|---|")
	for _, e := range entriesInWords(o.History) {
		b.line("| %d | %s | %s | %s |", e.Number, e.When, text(e.Who), text(e.Says))
	}
}

// semicolons are texts of Markdown in one cell.
func semicolons(list []string) string { return text(strings.Join(list, "; ")) }

// Overview writes an overview in short: what is where, and why.
func (p *Printer) Overview(o *result.Overview) {
	p.Heading("What loads on %s, and why", Clean(o.Site))
	p.Line("  %s", p.dim.Render(sumOf(o)))
	for _, k := range kindsOf(o) {
		p.Heading("%s", Clean(k.Title))
		p.Line("  %s", p.dim.Render(Clean(k.About)))
		t := &table{wide: []int{1, 2}}
		for _, r := range k.Rows {
			what := Clean(r.Item)
			if r.On != "" {
				what += " " + p.dim.Render(r.On)
			}
			t.add(p.name.Render(what), Clean(strings.Join(r.Is, "; ")), Clean(r.Why), p.dim.Render(Clean(r.Decided)))
		}
		p.table(t)
	}
	p.Line("")
	p.Line("%s",
		p.dim.Render(
			"--format html or markdown has the whole: everything one by one, other companies, titles, how pages "+
				"are listed, who decided what."))
}
