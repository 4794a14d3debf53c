package verdict

import (
	"slices"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Level is how strong a metadata value is.
type Level uint8

// The levels, strongest first.
const (
	FromPerPage Level = iota
	FromMetadata
	FromSource
	FromDefaults
)

func (l Level) String() string {
	return [...]string{"per-page", "metadata", "the page's source", "defaults"}[l]
}

// A Candidate is one value that a metadata key could have on a page.
type Candidate struct {
	Level   Level
	Value   string   // filled in; the first where there are several
	Values  []string // of the key's elements, in order
	None    bool     // the value none: the element goes
	Missing *placeholder.Failure
	Key     *gatefile.Key // nil for the page's own value
	Rule    problem.Position
	Query   *gatefile.Query
	Note    string // of the rule, or of the entry under per-page
}

// Stands reports whether the candidate has a value to offer.
func (c *Candidate) Stands() bool { return c.Missing == nil && (c.None || c.Value != "") }

// Stack returns all values of a metadata key on a page, strongest first: the
// first that stands is the winner. id is the key's, as Key.ID has it; own is the
// value in the page's source, "" for none. lookup gives placeholders their values.
func (p *Plan) Stack(pg *page.Page, id, own string, lookup func(string) string) []Candidate {
	var out []Candidate
	name, _ := gatefile.SplitID(id)
	speaks := func(k *gatefile.Key) bool {
		// A none without media, sizes or hreflang takes out all elements of the name.
		return k.Name == name && (k.ID() == id || k.None && k.Variant == "")
	}
	add := func(level Level, k *gatefile.Key, q *gatefile.Query, note string) {
		c := Candidate{Level: level, Key: k, None: k.None, Rule: k.Pos, Query: q, Note: note}
		if k.Sibling {
			p.sibling(&c, pg)
		}
		for i := range k.Values {
			if k.Sibling || k.None || c.Missing != nil {
				break
			}
			var v string
			if v, c.Missing = k.Values[i].Value.Fill(lookup); v != "" {
				c.Values = append(c.Values, v)
			}
		}
		if len(c.Values) > 0 && c.Missing == nil {
			c.Value = c.Values[0]
		}
		out = append(out, c)
	}
	if pp := p.PerPage(pg); pp != nil {
		for i := range pp.Keys {
			if speaks(&pp.Keys[i]) {
				add(FromPerPage, &pp.Keys[i], nil, pp.Note)
			}
		}
	}
	// An error page is at no address of its own, unless a query means it.
	nowhere := name == "canonical" && pg.Status() >= 400
	rules := func(level Level) {
		from := len(out)
		defer func() {
			gatefile.ByLikeness(p.Gate, out[from:], func(c Candidate) string { return c.Query.Set })
		}()
		for _, x := range p.rules[name] {
			if x.rule.Default == (level == FromDefaults) && speaks(x.key) {
				if q, ok := x.rule.Chooses(pg); ok && (!nowhere || asksStatus(x.rule, pg)) {
					add(level, x.key, q, x.rule.Note)
				}
			}
		}
	}
	rules(FromMetadata)
	if own != "" {
		out = append(out, Candidate{Level: FromSource, Value: own, Values: []string{own}})
	}
	rules(FromDefaults)
	return out
}

// sibling gives a candidate the address of the page in another language: itself included, where there is one besides.
func (p *Plan) sibling(c *Candidate, pg *page.Page) {
	k := c.Key
	own := pg.Field("path")
	if p.PageAt == nil || k.Siblings.Sibling(own, k.Values[0].Attrs[0].Text) == "" {
		return // who knows which pages there are; or it is of no language here
	}
	others := 0
	for _, x := range k.Siblings {
		path, there := p.PageAt(k.Siblings.Sibling(own, x.Language))
		if there && page.Key(path) != pg.Key() {
			others++
		}
		if there && x.Language == k.Values[0].Attrs[0].Text {
			c.Values = []string{p.Gate.Site.URL.Value + page.URLPath(path)}
		}
	}
	if others == 0 || len(c.Values) == 0 {
		c.Values, c.None = nil, true
	}
}

// asksStatus reports whether a query of a rule that chooses the page asks for its status.
func asksStatus(r *gatefile.Rule, pg *page.Page) bool {
	return slices.ContainsFunc(r.Pages, func(q gatefile.Query) bool {
		return pagequery.Asks(q.Expr, "status") && q.Eval(pg)
	})
}

// Winner returns the candidate that stands first, or nil.
func Winner(stack []Candidate) *Candidate {
	for i := range stack {
		if stack[i].Stands() {
			return &stack[i]
		}
	}
	return nil
}
