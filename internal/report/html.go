package report

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"html"
	"html/template"
	"io"
	"sort"
	"strings"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/run"
)

// auditPage is the report as one page, without outside resources. What pages
// contain goes through html/template, or as JSON into texts.
//
//go:embed audit.html
var auditPage string

var auditTemplate = template.Must(template.New("audit").Parse(auditPage))

// A row of the table of pages.
type htmlRow struct {
	Path, Title, Bytes         string
	Requests, Blocking, Total  int
	Share                      int // of the heaviest page, in percent
	Errors, Warnings, position int
}

// htmlPage is what the report knows of one page, shown when it is asked for.
type htmlPage struct {
	Path     string           `json:"path"`
	Title    string           `json:"title"`
	File     string           `json:"file"`
	Findings []checks.Finding `json:"findings"`
	Elements []htmlElement    `json:"elements"`
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
	*checks.Check
	Severity        string
	Findings, Shown []checks.Finding
	Pages           string
	More            int
}

type htmlItem struct {
	Name, Wrong, Right, Remark string
	In, Present                int
}

// AuditHTML writes an audit, with its records, as one page of HTML.
func AuditHTML(w io.Writer, a *run.AuditResult) error {
	d := struct {
		Name, Site, Gate, Bytes, Counts string
		Blocking, Hosts                 int
		Totals                          run.Totals
		Checks                          []htmlCheck
		Items                           []htmlItem
		Rows                            []htmlRow
		Chart                           template.HTML
		Data                            template.JS
	}{Name: Clean(a.Dir), Site: a.Site, Gate: a.Gate, Bytes: size(a.Bytes), Counts: plural(a.Pages, "page") + ", " + plural(a.Requests, "request"), Totals: a.Totals}
	byPage := map[string][]checks.Finding{}
	byCheck := map[string][]checks.Finding{}
	for _, f := range a.Findings {
		byPage[f.Page] = append(byPage[f.Page], f)
		byCheck[f.Check] = append(byCheck[f.Check], f)
	}
	for _, c := range checks.All() {
		if fs := byCheck[c.Name]; len(fs) > 0 {
			d.Checks = append(d.Checks, checkOf(c, fs))
		}
	}
	rank := map[string]int{"error": 0, "warning": 1, "note": 2}
	sort.SliceStable(d.Checks, func(i, j int) bool { return rank[d.Checks[i].Severity] < rank[d.Checks[j].Severity] })
	for _, it := range a.ByItem {
		x := htmlItem{Name: it.Item.Name, In: it.In, Present: it.Present, Right: asGated}
		x.Wrong, x.Remark = heldAgainst(it)
		d.Items = append(d.Items, x)
	}
	hosts := map[string]bool{}
	weight := map[string]int{}
	pages := []htmlPage{}
	heaviest := 1
	for _, r := range a.Records {
		if r.Fragment {
			continue
		}
		row, p := rowOf(r, byPage[r.Path], hosts, weight)
		d.Blocking += row.Blocking
		heaviest = max(heaviest, row.Total)
		d.Rows = append(d.Rows, row)
		pages = append(pages, p)
	}
	for i := range d.Rows {
		d.Rows[i].Share = d.Rows[i].Total * 100 / heaviest
	}
	d.Hosts = len(hosts)
	d.Chart = chart(weight)
	j, err := json.Marshal(pages) // "<", ">" and "&" come out escaped: it cannot end its element
	if err != nil {
		return err
	}
	d.Data = template.JS(j)
	return auditTemplate.Execute(w, d)
}

func checkOf(c *checks.Check, fs []checks.Finding) htmlCheck {
	const most = 50
	x := htmlCheck{Check: c, Severity: fs[0].Severity, Findings: fs, Shown: fs}
	on := map[string]bool{}
	for _, f := range fs {
		on[f.Page] = true
	}
	if x.Pages = plural(len(on), "page"); len(fs) > most {
		x.Shown, x.More = fs[:most], len(fs)-most
	}
	return x
}

func rowOf(r *inventory.Record, fs []checks.Finding, hosts map[string]bool, weight map[string]int) (htmlRow, htmlPage) {
	row := htmlRow{Path: Clean(r.Path), Title: Clean(r.Title), Total: r.Bytes}
	p := htmlPage{Path: row.Path, Title: row.Title, File: Clean(r.File), Findings: fs, Elements: []htmlElement{}}
	if p.Findings == nil {
		p.Findings = []checks.Finding{}
	}
	for _, f := range fs {
		switch f.Severity {
		case "error":
			row.Errors++
		case "warning":
			row.Warnings++
		}
	}
	cost := r.Cost()
	row.Requests, row.Blocking = cost.Requests, cost.Blocking
	row.Total += cost.Loaded
	for i := range r.Elements {
		e := &r.Elements[i]
		if e.Inside == "" && e.Loads && e.Party == "third" {
			hosts[inventory.Host(e.Target)] = true
		}
		if e.Inside == "" && e.Bytes > 0 {
			weight[belongs(e)] += e.Bytes
		}
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
			x.Bytes = size(int64(e.Bytes))
		}
		p.Elements = append(p.Elements, x)
		for _, m := range e.Imports {
			if m.Party == "third" {
				hosts[inventory.Host(m.Target)] = true
			}
			weight[belongsImport(e, &m)] += m.Bytes
			p.Elements = append(p.Elements, htmlElement{Area: e.Area, Tag: "import", What: Clean(m.Target), Bytes: size(int64(m.Bytes)), Item: e.Item})
		}
	}
	row.Bytes = size(int64(row.Total))
	return row, p
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

// chart draws bars, the heaviest first, as SVG.
func chart(weight map[string]int) template.HTML {
	names := make([]string, 0, len(weight))
	for n := range weight {
		names = append(names, n)
	}
	sort.Slice(names, func(i, j int) bool {
		if weight[names[i]] != weight[names[j]] {
			return weight[names[i]] > weight[names[j]]
		}
		return names[i] < names[j]
	})
	if len(names) == 0 {
		return `<p class="soft">The pages load nothing whose weight is known.</p>`
	}
	names = names[:min(len(names), 12)]
	const line, left, width = 24, 300, 900
	var b strings.Builder
	fmt.Fprintf(&b, `<div class="scroll"><svg role="img" aria-label="Weight over all pages" viewBox="0 0 %d %d" width="100%%" style="min-width: 34rem">`, width, len(names)*line+4)
	for i, n := range names {
		y := i*line + 2
		label := []rune(Clean(n))
		if len(label) > 40 {
			label = append([]rune("…"), label[len(label)-39:]...)
		}
		long := max((width-left-90)*weight[n]/weight[names[0]], 2)
		fmt.Fprintf(&b, `<text x="%d" y="%d" text-anchor="end">%s</text><rect x="%d" y="%d" width="%d" height="%d" rx="2" fill="var(--bar)"/><text x="%d" y="%d">%s</text>`,
			left-8, y+15, html.EscapeString(string(label)), left, y+3, long, line-8, left+long+6, y+15, size(int64(weight[n])))
	}
	b.WriteString("</svg></div>")
	return template.HTML(b.String())
}
