package run

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/near"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// A Step is one line of the decision table as it applied to an item on a page.
type Step struct {
	Condition string `json:"condition"`
	Holds     bool   `json:"holds"`
	Detail    string `json:"detail"`
	Rule      Rule   `json:"rule"`
}

// WhyItem explains one verdict.
type WhyItem struct {
	Gated
	Because string   `json:"because"` // in words
	Steps   []Step   `json:"steps"`   // up to the line that decided
	Change  []string `json:"change"`  // what would change it
	Note    string   `json:"note"`
	Parts   []string `json:"parts"` // what the item carries, and where it goes
}

// A WhyValue is one value that a metadata key could have on a page.
type WhyValue struct {
	From   string `json:"from"` // per-page, metadata, the page's source, defaults
	Value  string `json:"value"`
	Rule   Rule   `json:"rule"`
	Wins   bool   `json:"wins"`
	Remark string `json:"remark"`
}

// WhyKey explains one metadata key on a page.
type WhyKey struct {
	Page   string     `json:"page"`
	Key    string     `json:"key"`
	Values []WhyValue `json:"values"` // strongest first
	Result string     `json:"result"` // what the page has in the end
}

// Why explains an item, or a metadata key, on a page. One of the results is nil.
func Why(p *project.Project, pg *page.Page, name string) (*WhyItem, *WhyKey, error) {
	r, err := Look(p, pg)
	if err != nil {
		return nil, nil, err
	}
	if r.Fragment {
		return nil, nil, &site.UsageError{Message: pg.File + " is a fragment: it has no doctype and no html, head, body or title tag, so the gate leaves it alone"}
	}
	for i := range r.Verdicts {
		if r.Verdicts[i].Item.Name == name {
			return whyItem(p, r, i), nil, nil
		}
	}
	if key := gatefile.KeyName(name); known(key) {
		return nil, whyKey(r, key), nil
	}
	return nil, nil, &site.UsageError{Message: fmt.Sprintf("no item and no metadata key is called %q%s", name, near.Suggest(name, append(p.Gate.File.ItemNames(), gatefile.MetadataKeys...))),
		Remedy: "yellowgate where lists the items"}
}

func whyItem(p *project.Project, r *gating.Result, i int) *WhyItem {
	v := &r.Verdicts[i]
	it, pg := v.Item, &r.Page
	present := r.Present[i]
	if v.In && len(it.Parts) > 0 {
		present = 1
	}
	w := &WhyItem{Gated: gatedOf(pg.Path, v, present), Because: Because(v, pg), Note: it.Note}
	w.Parts = partLines(it)
	w.Steps = steps(p, v, pg)
	w.Change = change(v, pg)
	return w
}

func known(key string) bool {
	ok, _ := gatefile.KnownKey(key)
	return ok
}

func partLine(it *gatefile.Item, part *gatefile.Part) string {
	place := it.PlaceOf(part)
	switch {
	case part.Kind == gatefile.Classes:
		return fmt.Sprintf("classes %q on %s", part.Text, part.Selector)
	case part.FromFile != "":
		return fmt.Sprintf("%s from %s, at %s", part.Kind, part.FromFile, place.String())
	case part.Kind == gatefile.Script:
		return fmt.Sprintf("script %s, at %s, load: %s", part.Text, place.String(), it.LoadOf(part))
	case part.Kind == gatefile.Stylesheet:
		return fmt.Sprintf("stylesheet %s, at %s", part.Text, place.String())
	}
	return fmt.Sprintf("%s, at %s", part.Key, place.String())
}

// partLines tells what an item carries.
func partLines(it *gatefile.Item) []string {
	out := []string{}
	for _, part := range it.Parts {
		out = append(out, partLine(it, part))
	}
	for _, m := range it.Found {
		line := "found: " + m.Raw
		if p := it.FoundPlace(); p != nil {
			line += ", moved to " + p.String()
		}
		out = append(out, line)
	}
	for _, m := range it.Replaces {
		out = append(out, "replaces: "+m.Raw)
	}
	for _, o := range it.Opens {
		line := "opens: " + o.How
		switch o.How {
		case "after":
			line += " " + o.Value + "s"
		case "scroll":
			line += " " + o.Value + "%"
		case "fragment":
			line += " #" + o.Value
		case "click":
			line += " " + o.Value
		}
		for i, q := range o.Pages {
			line += map[bool]string{true: ", on ", false: " or "}[i == 0] + q.Text
		}
		out = append(out, line)
	}
	return out
}

// Because tells a verdict in words.
func Because(v *verdict.Verdict, pg *page.Page) string {
	switch v.Reason {
	case verdict.Disabled:
		return fmt.Sprintf("out, because it is disabled (%s)", v.Rule)
	case verdict.Dates:
		return fmt.Sprintf("out, because the day is outside its dates (%s)", v.Rule)
	case verdict.Spot:
		return fmt.Sprintf("in, because the page has a spot for it (%s)", v.Rule)
	case verdict.PerPage:
		return fmt.Sprintf("%s, because per-page %s says so (%s)", v.Word(), pg.Path, v.Rule)
	case verdict.Except:
		return fmt.Sprintf("out, because except chooses the page (%s): %s", v.Rule, matched(v.Query, pg))
	case verdict.Pages:
		return fmt.Sprintf("in, because pages chooses the page (%s): %s", v.Rule, matched(v.Query, pg))
	case verdict.Needed:
		return fmt.Sprintf("in, because %q is in and needs it (%s)", v.By.Name, v.Rule)
	}
	if len(v.Item.Pages) == 0 {
		return fmt.Sprintf("out, because it has no pages (%s) and nothing here needs it", v.Rule)
	}
	return fmt.Sprintf("out, because its pages do not choose this page (%s)", v.Item.Pages[0].Pos)
}

func matched(q *gatefile.Query, pg *page.Page) string {
	b := q.Branch(pg)
	if b == "all" {
		return "all pages"
	}
	return b + " matches"
}

// steps walks the decision table up to the line that decided.
func steps(p *project.Project, v *verdict.Verdict, pg *page.Page) (out []Step) {
	it := v.Item
	add := func(condition string, holds bool, detail string, pos problem.Position) bool {
		out = append(out, Step{condition, holds, detail, ruleOf(pos)})
		return holds
	}
	if add("disabled", v.Reason == verdict.Disabled, "", it.Pos) {
		return out
	}
	if it.From.Value != "" || it.Until.Value != "" {
		detail := strings.TrimSpace(it.From.Value + " to " + it.Until.Value)
		if add("dates", v.Reason == verdict.Dates, detail+"; the day is "+p.Gate.Plan.Day, it.From.Pos) {
			return out
		}
	}
	pp := p.Gate.Plan.PerPage(pg)
	detail, pos := "per-page does not name this page", it.Pos
	if pp != nil {
		detail, pos = "per-page "+pp.Path+" does not name the item", pp.Pos
	}
	if v.Reason == verdict.PerPage {
		detail, pos = "per-page "+pp.Path+" names it under "+v.Word(), v.Rule
	}
	if add("per-page", v.Reason == verdict.PerPage, detail, pos) {
		return out
	}
	if entries(&out, "except", it.Except, pg) {
		return out
	}
	if entries(&out, "pages", it.Pages, pg) {
		return out
	}
	if it.HasSpot() {
		detail = "the page has no spot for it"
		if pg.Spots[it.Name] {
			detail = "the page has a spot for it"
		}
		if add("spot", v.Reason == verdict.Spot, detail, it.Pos) {
			return out
		}
	}
	detail, pos = "no item that is in needs it", it.Pos
	if v.By != nil {
		detail, pos = fmt.Sprintf("%q is in and needs it", v.By.Name), v.Rule
	}
	if add("needed", v.Reason == verdict.Needed, detail, pos) {
		return out
	}
	add("elsewhere", true, "nothing puts it here", it.Pos)
	return out
}

func entries(out *[]Step, word string, qs []gatefile.Query, pg *page.Page) bool {
	if len(qs) == 0 {
		*out = append(*out, Step{Condition: word, Detail: "there is none"})
		return false
	}
	for i := range qs {
		q := &qs[i]
		s := Step{Condition: word, Holds: q.Eval(pg), Detail: q.Text + " does not choose the page", Rule: ruleOf(q.Pos)}
		if s.Holds {
			s.Detail = q.Text
			if b := q.Branch(pg); strings.HasPrefix(b, q.Text) {
				s.Detail = b
			} else {
				s.Detail += " (" + b + ")"
			}
		}
		*out = append(*out, s)
		if s.Holds {
			return true
		}
	}
	return false
}

// change says what would turn the verdict.
func change(v *verdict.Verdict, pg *page.Page) []string {
	name := v.Item.Name
	perPage := func(word string) string {
		return fmt.Sprintf("per-page: {%s: {%s: [%s]}}", pg.Path, word, name)
	}
	switch v.Reason {
	case verdict.Disabled:
		return []string{fmt.Sprintf("take the line disabled: true out (%s)", v.Rule)}
	case verdict.Dates:
		return []string{fmt.Sprintf("change its dates (%s); --at DAY tells what another day brings", v.Rule)}
	case verdict.Spot:
		return []string{"take the spot out of the page", perPage("out")}
	case verdict.PerPage:
		return []string{fmt.Sprintf("take it out of per-page (%s)", v.Rule)}
	case verdict.Except:
		return []string{fmt.Sprintf("narrow the exception %s (%s)", v.Query.Text, v.Rule), perPage("in")}
	case verdict.Pages:
		return []string{fmt.Sprintf("except: %s, on item %q", pg.Path, name), perPage("out")}
	case verdict.Needed:
		return []string{fmt.Sprintf("take the need out of %q (%s)", v.By.Name, v.Rule), fmt.Sprintf("keep %q out of this page", v.By.Name)}
	}
	if len(v.Item.Pages) == 0 {
		return []string{fmt.Sprintf("pages: %s, on item %q", pg.Path, name), perPage("in")}
	}
	return []string{fmt.Sprintf("add %s to its pages (%s)", pg.Path, v.Item.Pages[0].Pos), perPage("in")}
}

func whyKey(r *gating.Result, key string) *WhyKey {
	w := &WhyKey{Page: r.Page.Path, Key: key, Values: []WhyValue{}}
	won := false
	for _, c := range r.Metadata(key) {
		x := WhyValue{From: c.Level.String(), Value: strings.Join(c.Values, ", ")}
		if c.Key != nil {
			x.Rule = ruleOf(c.Rule)
		}
		switch {
		case c.Missing != nil:
			x.Value = c.Key.Values[0].Text
			x.Remark = c.Missing.Error() + " here"
		case c.None:
			x.Remark = "none: the page shall not have it"
		}
		if !won && c.Stands() {
			won, x.Wins = true, true
			w.Result = strings.Join(c.Values, ", ")
		}
		w.Values = append(w.Values, x)
	}
	return w
}
