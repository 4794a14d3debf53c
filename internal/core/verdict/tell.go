package verdict

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// The decision table, told.

// Because tells the verdict on a page in words.
func (v *Verdict) Because(pg *page.Page) string {
	switch v.Reason {
	case Disabled:
		return fmt.Sprintf("out, because it is disabled (%s)", v.Rule)
	case Dates:
		return fmt.Sprintf("out, because the day is outside its dates (%s)", v.Rule)
	case Spot:
		return fmt.Sprintf("in, because the page has a spot for it (%s)", v.Rule)
	case PerPage:
		return fmt.Sprintf("%s, because per-page %s says so (%s)", v.Word(), pg.Path, v.Rule)
	case Except:
		return fmt.Sprintf("out, because except chooses the page (%s): %s", v.Rule, matched(v.Query, pg))
	case Pages:
		return fmt.Sprintf("in, because pages chooses the page (%s): %s", v.Rule, matched(v.Query, pg))
	case Needed:
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
		return "all pages" + noted(q)
	}
	return b + " matches" + noted(q)
}

// noted is the note of a query, to follow it.
func noted(q *gatefile.Query) string {
	if q.Note == "" {
		return ""
	}
	return "; note: " + q.Note
}

// A Step is one line of the decision table as it applied to an item on a page.
type Step struct {
	Condition string // disabled, dates, per-page, except, pages, spot, needed, elsewhere
	Holds     bool
	Detail    string
	Rule      problem.Position
}

// Steps walks the decision table up to the line that decided. Every line is asked anew; only whether
// an item that is in needs this one is what Decide found out.
func (p *Plan) Steps(v *Verdict, pg *page.Page) (out []Step) {
	it := v.Item
	add := func(condition string, holds bool, detail string, pos problem.Position) bool {
		out = append(out, Step{condition, holds, detail, pos})
		return holds
	}
	if add("disabled", it.Disabled, "", it.Pos) {
		return out
	}
	if from, until := it.From.Value, it.Until.Value; from != "" || until != "" {
		outside := from != "" && p.Day < from || until != "" && p.Day > until
		if add("dates", outside, strings.TrimSpace(from+" to "+until)+"; the day is "+p.Day, it.From.Pos) {
			return out
		}
	}
	if p.perPageStep(it, pg, add) || entries(&out, "except", it.Except, pg) || entries(&out, "pages", it.Pages, pg) {
		return out
	}
	if it.HasSpot() {
		detail := "the page has no spot for it"
		if pg.Spots[it.Name] {
			detail = "the page has a spot for it"
		}
		if add("spot", pg.Spots[it.Name], detail, it.Pos) {
			return out
		}
	}
	detail, pos := "no item that is in needs it", it.Pos
	if v.By != nil {
		detail, pos = fmt.Sprintf("%q is in and needs it", v.By.Name), v.Rule
	}
	if !add("needed", v.By != nil, detail, pos) {
		add("elsewhere", true, "nothing puts it here", it.Pos)
	}
	return out
}

// perPageStep adds the line of per-page.
func (p *Plan) perPageStep(it *gatefile.Item, pg *page.Page,
	add func(string, bool, string, problem.Position) bool) bool {
	pp := p.pages[pg.Key()]
	if pp == nil {
		return add("per-page", false, "per-page does not name this page", it.Pos)
	}
	n := p.byName[it.Name]
	for _, x := range []struct {
		word string
		list map[int]problem.Position
	}{{"out", pp.out}, {"in", pp.in}} {
		if pos, ok := x.list[n]; ok {
			return add("per-page", true, "per-page "+pp.Path+" names it under "+x.word, pos)
		}
	}
	return add("per-page", false, "per-page "+pp.Path+" does not name the item", pp.Pos)
}

// entries adds the queries of a list up to the first that chooses the page.
func entries(out *[]Step, word string, qs []gatefile.Query, pg *page.Page) bool {
	if len(qs) == 0 {
		*out = append(*out, Step{Condition: word, Detail: "there is none"})
		return false
	}
	for i := range qs {
		q := &qs[i]
		s := Step{Condition: word, Holds: q.Eval(pg), Detail: q.Text + " does not choose the page", Rule: q.Pos}
		if s.Holds {
			s.Detail = q.Text
			if b := q.Branch(pg); strings.HasPrefix(b, q.Text) {
				s.Detail = b
			} else {
				s.Detail += " (" + b + ")"
			}
			s.Detail += noted(q)
		}
		*out = append(*out, s)
		if s.Holds {
			return true
		}
	}
	return false
}

// Change says what would turn the verdict on a page.
func (v *Verdict) Change(pg *page.Page) []string {
	name := v.Item.Name
	perPage := func(word string) string {
		return fmt.Sprintf("per-page: {%s: {%s: [%s]}}", pg.Path, word, name)
	}
	switch v.Reason {
	case Disabled:
		return []string{fmt.Sprintf("take the line disabled: true out (%s)", v.Rule)}
	case Dates:
		return []string{fmt.Sprintf("change its dates (%s); --at DAY shows what another day brings", v.Rule)}
	case Spot:
		return []string{"take the spot out of the page", perPage("out")}
	case PerPage:
		return []string{fmt.Sprintf("take it out of per-page (%s)", v.Rule)}
	case Except:
		return []string{fmt.Sprintf("narrow the exception %s (%s)", v.Query.Text, v.Rule), perPage("in")}
	case Pages:
		return []string{fmt.Sprintf("except: %s, on item %q", pg.Path, name), perPage("out")}
	case Needed:
		return []string{
			fmt.Sprintf("take the need out of %q (%s)", v.By.Name, v.Rule),
			fmt.Sprintf("keep %q out of this page", v.By.Name),
		}
	}
	if len(v.Item.Pages) == 0 {
		return []string{fmt.Sprintf("pages: %s, on item %q", pg.Path, name), perPage("in")}
	}
	return []string{fmt.Sprintf("add %s to its pages (%s)", pg.Path, v.Item.Pages[0].Pos), perPage("in")}
}
