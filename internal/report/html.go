package report

import (
	"cmp"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"maps"
	"slices"
	"sort"
	"strings"
	"sync"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// auditPage is the report as one page, without outside resources. What pages
// contain goes through html/template, or as JSON into texts.
//
//go:embed audit.html
var auditPage string

var auditTemplate = lazily("audit", &auditPage)

// frameTemplate is how a page is listed, for pages of HTML that show it.
//
//go:embed frame.html
var frameTemplate string

// lazily is a template of a page of HTML that is parsed when it is first asked for: most runs write none.
func lazily(name string, text *string) func() *template.Template {
	return sync.OnceValue(func() *template.Template {
		return template.Must(template.New(name).Funcs(template.FuncMap{
			"bytes": bytesOf, "clean": Clean, "number": wording.Number, "short": func(s string) string { return Clean(cut(s)) },
			"some":  func(l []string) string { return Clean(wording.List(l, 5)) },
			"style": func() template.CSS { return template.CSS(serveStyle) },
		}).Parse(frameTemplate + *text))
	})
}

// A row of the table of pages.
type htmlRow struct {
	Path, Title, Bytes        string
	Requests, Blocking, Total int
	Share                     int // of the heaviest page, in percent
	Errors, Warnings          int
	cost                      inventory.Cost
}

// htmlPage is what the report knows of one page, shown when it is asked for.
type htmlPage struct {
	Path     string          `json:"path"`
	Title    string          `json:"title"`
	File     string          `json:"file"`
	Findings []check.Finding `json:"findings"`
	Elements []htmlElement   `json:"elements"`
	Visits   []htmlVisit     `json:"visits,omitempty"`
}

type htmlElement struct {
	Line  int    `json:"line"`
	Area  string `json:"area"`
	Tag   string `json:"tag"`
	What  string `json:"what"`
	Runs  string `json:"runs"`
	Bytes string `json:"bytes"`
	Item  string `json:"item"`
}

type htmlCheck struct {
	*check.Check
	Severity problem.Severity
	Count    int
	Pages    string
	Causes   []htmlCause
	More     int // findings whose causes are not shown
}

// htmlFirst is a cause that is to be mended first.
type htmlFirst struct {
	Severity                            problem.Severity
	Check, Message, Where, Harm, Remedy string
}

// firstOf are the causes to mend first, and how many there are of errors and warnings.
func firstOf(a *result.Audit) (first []htmlFirst, all string) {
	causes := causesOf(a, false)
	for _, c := range toMendFirst(causes) {
		first = append(first, htmlFirst{
			c.First.Severity, c.First.Check, Clean(c.First.Message), c.which(a.Pages),
			string(checks.HarmOf(c.First.Check)), Clean(c.First.Remedy),
		})
	}
	return first, wording.Count(len(causes), "cause")
}

// htmlCause is one cause of findings, with the places where it was found.
type htmlCause struct {
	Message, Remedy string
	At              []string
	More            int // places that are not shown
}

type htmlItem struct {
	Name, Wrong, Right, Remark string
	In, Present, Seen          int
}

// htmlComparison is the audit before, beside the one that the page shows.
type htmlComparison struct {
	Before                    string
	Totals                    []htmlTotal
	Lists                     []htmlThings
	Added, Removed, Others    []string
	Changes                   []htmlChange
	Mended, New               []htmlCheck
	Same, Unchanged, Findings string
}

type htmlTotal struct{ Name, Was, Is, Change, Class string }

type htmlThings struct {
	Name   string
	Things []compare.Thing
}

// AuditHTML writes an audit, with its records, as one page of HTML.
func AuditHTML(w io.Writer, a *result.Audit) error { return auditHTML(w, a, nil) }

// CompareHTML writes the later of two audits as a page of HTML, with the earlier one
// beside it.
func CompareHTML(w io.Writer, c *result.Comparison) error { return auditHTML(w, c.After, c) }

// htmlAudit is what the page of an audit is made from.
type htmlAudit struct {
	Name, Site, Gate, Bytes, Counts string
	Blocking, Hosts                 int
	Scripts, Styles, Gzip, Unneeded string
	Totals                          audit.Totals
	Compared                        *htmlComparison
	Checks                          []htmlCheck
	Items                           []htmlItem
	Rows                            []htmlRow
	Visited                         bool
	Asked                           int
	Wire, Paint                     string
	ByItem, ByPage                  template.HTML
	Data                            template.JS
	First                           []htmlFirst
	Causes                          string
}

func auditHTML(w io.Writer, a *result.Audit, c *result.Comparison) error {
	d := &htmlAudit{Name: Clean(a.Dir), Site: a.Site, Gate: a.Gate, Bytes: wording.Size(a.Bytes),
		Counts: wording.Count(a.Pages, "page") + ", " + wording.Count(a.Requests, "request"), Totals: a.Totals,
		Checks: checksOf(a.Findings)}
	d.First, d.Causes = firstOf(a)
	for _, it := range a.ByItem {
		x := htmlItem{Name: it.Item.Name, In: it.In, Present: it.Present, Seen: it.Seen, Right: asGated}
		x.Wrong, x.Remark = heldAgainst(it, len(a.Rendered) > 0)
		d.Items = append(d.Items, x)
	}
	d.Visited = len(a.Rendered) > 0
	d.Asked, d.Wire, d.Paint = sumsOf(a.Rendered)
	if a.Unneeded > 0 {
		d.Unneeded = wording.Size(a.Unneeded)
	}
	weight := map[string]int{}
	pages := d.addRows(a, weight)
	d.addBars(weight, c)
	j, err := json.Marshal(pages) // "<", ">" and "&" come out escaped: it cannot end its element
	if err != nil {
		return err
	}
	d.Data = template.JS(j)
	return auditTemplate().Execute(safeHTML{w}, d)
}

// addRows adds a row for each page and their sums, and weighs each item. It returns what the page says of each.
func (d *htmlAudit) addRows(a *result.Audit, weight map[string]int) (pages []htmlPage) {
	findings := map[string][]check.Finding{}
	for _, f := range a.Findings {
		findings[f.Page] = append(findings[f.Page], f)
	}
	hosts := map[string]bool{}
	visits := visitsOf(a.Rendered)
	pages = []htmlPage{}
	heaviest := 1
	var scripts, styles, gzip int
	for _, r := range a.Records {
		if r.Fragment {
			continue
		}
		row, p := rowOf(r, findings[r.Path], hosts, weight)
		p.Visits = visits[r.Path]
		d.Blocking += row.Blocking
		scripts, styles = scripts+row.cost.Scripts, styles+row.cost.Styles
		gzip += row.cost.LoadedGzip + row.cost.InlineGzip
		heaviest = max(heaviest, row.Total)
		d.Rows = append(d.Rows, row)
		pages = append(pages, p)
	}
	for i := range d.Rows {
		d.Rows[i].Share = d.Rows[i].Total * 100 / heaviest
	}
	d.Hosts = len(hosts)
	d.Scripts, d.Styles, d.Gzip = wording.Size(int64(scripts)), wording.Size(int64(styles)), wording.Size(int64(gzip))
	return pages
}

// addBars draws the weights of items and pages, and beside them those of an earlier audit.
func (d *htmlAudit) addBars(weight map[string]int, c *result.Comparison) {
	byItem, byPage := map[string]*weighed{}, map[string]*weighed{}
	add := func(m map[string]*weighed, name string) *weighed {
		if m[name] == nil {
			m[name] = &weighed{name: name}
		}
		return m[name]
	}
	for name, n := range weight {
		add(byItem, name).bytes = n
	}
	for _, r := range d.Rows {
		add(byPage, r.Path).bytes = r.Total
	}
	if c != nil {
		d.Compared = comparisonOf(c)
		was := map[string]int{}
		for _, r := range c.Before.Records {
			if !r.Fragment {
				row, _ := rowOf(r, nil, map[string]bool{}, was)
				add(byPage, row.Path).was = row.Total
			}
		}
		for name, n := range was {
			add(byItem, name).was = n
		}
	}
	sorted := func(m map[string]*weighed) (out []weighed) {
		for _, name := range slices.Sorted(maps.Keys(m)) {
			out = append(out, *m[name])
		}
		return out
	}
	d.ByItem = bars(sorted(byItem), "Weight over all pages, by item", c != nil)
	list := sorted(byPage)
	if d.ByPage = bars(list, "Weight of the pages", c != nil); len(list) > 30 {
		d.ByPage = ranks(list, "Weight of the pages, the heaviest first", c != nil) + d.ByPage
	}
}

// checksOf gathers findings by check, errors first.
func checksOf(fs []check.Finding) (out []htmlCheck) {
	byCheck := map[string][]check.Finding{}
	for _, f := range fs {
		byCheck[f.Check] = append(byCheck[f.Check], f)
	}
	for _, c := range checks.All() {
		if fs := byCheck[c.Name]; len(fs) > 0 {
			out = append(out, checkOf(c, fs))
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Severity > out[j].Severity })
	return out
}

// checkOf folds the findings of a check by their cause.
func checkOf(c *check.Check, fs []check.Finding) htmlCheck {
	const causes, places = 40, 12
	x := htmlCheck{Check: c, Severity: fs[0].Severity, Count: len(fs)}
	on := map[string]bool{}
	at := map[string]int{}
	pages := false
	for _, f := range fs {
		on[f.Page+"\x00"+f.File] = true
		pages = pages || f.Page != ""
		i, met := at[f.About]
		if !met && len(x.Causes) == causes {
			x.More++
			continue
		}
		if !met {
			i = len(x.Causes)
			at[f.About] = i
			x.Causes = append(x.Causes, htmlCause{Message: Clean(f.Message), Remedy: Clean(f.Remedy)})
		}
		if cause := &x.Causes[i]; len(cause.At) < places {
			cause.At = append(cause.At, fmt.Sprintf("%s:%d:%d", Clean(f.File), f.Line, f.Column))
		} else {
			cause.More++
		}
	}
	if x.Pages = "on " + wording.Count(len(on), "page"); !pages {
		x.Pages = "in " + wording.Count(len(on), "file")
	}
	return x
}

// htmlChange is what changed besides, on some pages.
type htmlChange struct {
	Section, Name, How, Where string
	Pages                     int
}

// comparisonOf says what differs.
func comparisonOf(c *result.Comparison) *htmlComparison {
	x := &htmlComparison{
		Before:  Clean(c.Before.Dir),
		Added:   c.Added,
		Removed: c.Removed,
		Others:  c.Others,
		Mended:  checksOf(c.Mended),
		New:     checksOf(c.New),
	}
	for _, row := range totalRows(c.Result) {
		t := htmlTotal{Name: row.what, Was: row.say(row.was), Is: row.say(row.is)}
		if d := row.is - row.was; d != 0 {
			t.Class = "warning"
			if d < 0 == row.lessIsMore {
				t.Class = "good"
			}
			t.Change = signed(d, row.say)
		}
		x.Totals = append(x.Totals, t)
	}
	for _, l := range []htmlThings{{"Went", c.Went}, {"Came", c.Came}, {"Moved", c.Moved}, {"Changed", c.Changed}} {
		if len(l.Things) > 0 {
			x.Lists = append(x.Lists, l)
		}
	}
	for i := range c.Changes {
		g := &c.Changes[i]
		sign, text := g.Words()
		x.Changes = append(x.Changes,
			htmlChange{g.Section(), g.Called(), strings.TrimSpace(sign + " " + text), onPages(g), len(g.Pages)})
	}
	if c.Same() {
		x.Same = "Nothing changed."
	} else if len(c.Others)+len(c.Untold) == 0 {
		x.Unchanged = nothingElse(c.Result)
	} else if len(c.Others) == 0 {
		x.Unchanged = untold(c.Result, 6)
	}
	return x
}

func rowOf(r *inventory.Record, fs []check.Finding, hosts map[string]bool, weight map[string]int) (htmlRow, htmlPage) {
	row := htmlRow{Path: Clean(r.Path), Title: Clean(r.Title), Total: r.Bytes}
	p := htmlPage{Path: row.Path, Title: row.Title, File: Clean(r.File), Findings: fs, Elements: []htmlElement{}}
	if p.Findings == nil {
		p.Findings = []check.Finding{}
	}
	for _, f := range fs {
		switch f.Severity {
		case problem.Error:
			row.Errors++
		case problem.Warning:
			row.Warnings++
		}
	}
	row.cost = r.Cost()
	row.Requests, row.Blocking = row.cost.Requests, row.cost.Blocking
	row.Total += row.cost.Loaded
	for i := range r.Elements {
		e := &r.Elements[i]
		if e.Inside == "" && e.Loads && e.Party == "third" {
			hosts[inventory.Host(e.Target)] = true
		}
		if e.Inside == "" && e.Bytes > 0 {
			weight[belongs(e)] += e.Bytes
		}
		p.Elements = append(p.Elements, elementOf(e))
		for _, m := range e.Gets() {
			if m.Party == "third" && !m.Later {
				hosts[inventory.Host(m.Target)] = true
			}
			if !m.Later {
				weight[belongsImport(e, &m)] += m.Bytes
			}
			p.Elements = append(p.Elements,
				htmlElement{Area: e.Area, Tag: cmp.Or(m.Tag, "import"), What: Clean(m.Written()),
					Bytes: wording.Size(int64(m.Bytes)), Item: e.Item})
		}
	}
	for i := range r.Media {
		if e := &r.Media[i]; e.Inside == "" && e.Loads && e.Party == "third" {
			hosts[inventory.Host(e.Target)] = true
		}
	}
	for _, s := range r.MediaSums() {
		p.Elements = append(p.Elements,
			htmlElement{Area: "body", Tag: "media", What: s.Kind + ": " + wording.Count(s.Files, "file"),
				Bytes: wording.Size(int64(s.Bytes))})
	}
	row.Bytes = wording.Size(int64(row.Total))
	return row, p
}

// elementOf is the row of an element.
func elementOf(e *inventory.Element) htmlElement {
	x := htmlElement{Line: e.Line, Area: e.Area, Tag: e.Tag, Runs: e.Runs, Item: e.Item, What: e.URL}
	if x.What == "" {
		x.What = e.Label
	}
	if x.What == "" && (e.Tag == "script" || e.Tag == "style") {
		x.What = "inline"
	}
	if e.Inside != "" {
		x.What += " (in " + e.Inside + ")"
	}
	if x.What = Clean(x.What); e.Bytes > 0 {
		x.Bytes = wording.Size(int64(e.Bytes))
	}
	return x
}

// belongs is what an element's weight is counted for: its item, or its file.
func belongs(e *inventory.Element) string {
	switch {
	case e.Item != "":
		return e.Item
	case e.Target != "":
		return e.Target
	}
	return "inline, of no item"
}

func belongsImport(e *inventory.Element, m *inventory.Import) string {
	if e.Item != "" {
		return e.Item
	}
	return m.Target
}
