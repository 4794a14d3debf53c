package gatefile

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

// A Budget says what pages may weigh and load.
type Budget struct {
	Pages  []Query
	Limits []Limit
	Pos    problem.Position
}

// A Limit is one line of a budget.
type Limit struct {
	Key  string // as it is written
	Most int    // bytes, a count, ms, or thousandths of a layout shift
	Pos  problem.Position
}

// Bytes reports whether the limit is of bytes.
func (l Limit) Bytes() bool {
	return l.Key == "scripts" || l.Key == "styles" || l.Key == "total" || l.Key == "wire"
}

// Time reports whether the limit is a time.
func (l Limit) Time() bool { return l.Key == "paint" || l.Key == "blocking-time" }

// Measured reports whether only a browser tells what the page has.
func (l Limit) Measured() bool {
	return l.Time() || l.Key == "wire" || l.Key == "requests-made" || l.Key == "shift"
}

// Say writes a number as the limit counts.
func (l Limit) Say(n int) string {
	if l.Bytes() {
		return wording.Bytes(n)
	}
	switch {
	case l.Time():
		return (time.Duration(n) * time.Millisecond).String()
	case l.Key == "shift":
		return strconv.FormatFloat(float64(n)/1000, 'f', -1, 64)
	}
	return strconv.Itoa(n)
}

// An Accept is a kind of finding that the owner has decided to live with.
type Accept struct {
	Check Text
	Pages []Query
	Item  Text
	About string // of a finding, in full; empty for any
	Note  string
	Pos   problem.Position
}

// A CheckSeverity is the severity that a check has on this site.
type CheckSeverity struct {
	Check    Text
	Severity problem.Severity
	Off      bool // its findings are not told
}

// severityWords are those that the gate file has for a check, the worst first.
var severityWords = func() []string {
	words := problem.Severities()
	slices.Reverse(words)
	return append(words, "none")
}()

func (r *reader) budgets(e entry) {
	for _, v := range r.list(e.node) {
		b := &Budget{Pos: r.at(v)}
		before := len(r.problems)
		for _, x := range r.mapping(v, "an entry of budgets", KeysOf(BudgetShape{})) {
			if x.key == "pages" {
				b.Pages = r.queries(x.node, "pages")
				continue
			}
			t, ok := r.oneText(x.node, x.key)
			if !ok {
				continue
			}
			l := Limit{Key: x.key, Pos: t.Pos}
			if l.Most, ok = l.read(t.Value); !ok {
				form := "a count"
				switch {
				case l.Bytes():
					form = SizeForm
				case l.Time():
					form = "a time, such as 250ms or 8s"
				case l.Key == "shift":
					form = "a number, such as 0.1"
				}
				r.errorf(t.Pos, "%s is %s, not %q", x.key, form, t.Value)
				continue
			}
			b.Limits = append(b.Limits, l)
		}
		if (len(b.Pages) == 0 || len(b.Limits) == 0) && len(r.problems) == before {
			r.problem(problem.Error, b.Pos, "write it like budgets: [{pages: all, scripts: 50 kB}]",
				"an entry of budgets has pages and a limit")
			continue
		}
		r.gate.Budgets = append(r.gate.Budgets, b)
	}
}

// read reads what a limit allows.
func (l Limit) read(text string) (int, bool) {
	switch {
	case l.Time():
		seconds, err := placeholder.ParseSpan(strings.ReplaceAll(text, " ", ""))
		return int(math.Round(seconds * 1000)), err == nil
	case l.Key == "shift":
		x, err := strconv.ParseFloat(text, 64)
		return int(math.Round(x * 1000)), err == nil && x >= 0 && x < 1000
	}
	return amount(text, l.Bytes())
}

// SizeForm says how a size is written.
const SizeForm = "a size, such as 51200, 50 kB, 8 MB or 64 MiB"

// ParseSize reads a number of bytes, as budgets and options have them: 51200, 50 kB, 8 MB (thousands, as the
// SI has them), 64 MiB (IEC 80000-13).
func ParseSize(s string) (bytes int64, ok bool) {
	n, ok := amount(s, true)
	return int64(n), ok
}

// amount reads a count, or a size.
func amount(s string, bytes bool) (int, bool) {
	s = strings.TrimSpace(s)
	factor := 1.0
	if bytes {
		for unit, f := range map[string]float64{"kb": 1e3, "mb": 1e6, "gb": 1e9, "kib": 1 << 10, "mib": 1 << 20,
			"gib": 1 << 30, "bytes": 1, "b": 1} {
			if rest, ok := strings.CutSuffix(strings.ToLower(s), unit); ok && strings.Trim(rest, "0123456789. ") == "" {
				s, factor = strings.TrimSpace(rest), f
				break
			}
		}
	}
	n, err := strconv.ParseFloat(s, 64)
	if err != nil || n < 0 || !bytes && n != float64(int(n)) {
		return 0, false
	}
	return int(n * factor), true
}

func (r *reader) accepts(e entry) {
	for _, v := range r.list(e.node) {
		a := &Accept{Pos: r.at(v)}
		before := len(r.problems)
		for _, x := range r.mapping(v, "an entry of accept", KeysOf(AcceptShape{})) {
			switch x.key {
			case "pages":
				a.Pages = r.queries(x.node, "pages")
			case "check":
				a.Check, _ = r.oneText(x.node, x.key)
			case "item":
				a.Item, _ = r.oneText(x.node, x.key)
			case "about":
				t, _ := r.oneText(x.node, x.key)
				a.About = t.Value
			case "note":
				t, _ := r.oneText(x.node, x.key)
				a.Note = strings.TrimSpace(t.Value)
			}
		}
		switch {
		case len(r.problems) > before:
		case a.Check.Value == "":
			r.problem(problem.Error, a.Pos, "yellowgate explain lists the checks", "an entry of accept names no check")
		case len(a.Pages) == 0:
			r.problem(problem.Error, a.Pos, "add pages: all, or a page query",
				"an entry of accept does not say on which pages")
		case a.Note == "":
			r.problem(problem.Error, a.Pos, "add note: why, so that somebody can decide again",
				"an entry of accept has no note")
		default:
			r.gate.Accept = append(r.gate.Accept, a)
		}
	}
}

func (r *reader) severities(e entry) {
	for _, x := range r.entries(e.node, "checks") {
		t, ok := r.oneText(x.node, "checks."+x.key)
		if ok && !slices.Contains(severityWords, t.Value) {
			r.errorf(t.Pos, "a severity is one of %s, not %q%s", strings.Join(severityWords, ", "), t.Value,
				didyoumean.Suggest(t.Value, severityWords))
			continue
		}
		if ok {
			severity, told := problem.ParseSeverity(t.Value)
			r.gate.Checks = append(r.gate.Checks, CheckSeverity{Text{x.key, x.pos}, severity, !told})
		}
	}
}

// Accepts marks a problem that the owner lives with. pg is the page that it is about; nil for what is about the
// gate file, which an entry for all pages accepts.
func (g *Gate) Accepts(p *problem.Problem, pg *page.Page) {
	for _, a := range g.Accept {
		if p.Name != "" && a.Check.Value == p.Name && a.About == "" && (a.Item.Value == "" || a.Item.Value == p.Item) {
			p.Accepted = p.Accepted || slices.ContainsFunc(a.Pages, func(q Query) bool {
				return pg == nil && q.Expr == pagequery.Const(true) || pg != nil && q.Eval(pg)
			})
		}
	}
}

// CheckNames refuses names of checks that there are not: names are those of the audit, also those that check
// has besides.
func (g *Gate) CheckNames(names, also []string) (problems []problem.Problem) {
	bad := func(t Text, names []string) {
		if !slices.Contains(names, t.Value) {
			problems = append(problems,
				problem.Problem{Severity: problem.Error, Pos: t.Pos,
					Message: fmt.Sprintf("unknown check %q%s", t.Value, didyoumean.Suggest(t.Value, names)),
					Remedy:  "yellowgate explain lists the checks"})
		}
	}
	for _, a := range g.Accept {
		bad(a.Check, slices.Concat(names, also))
		if a.Item.Value != "" && g.Item(a.Item.Value) == nil {
			problems = append(problems,
				problem.Problem{Severity: problem.Error, Pos: a.Item.Pos,
					Message: fmt.Sprintf("unknown item %q%s", a.Item.Value,
						didyoumean.Suggest(a.Item.Value, g.ItemNames()))})
		}
	}
	for _, c := range g.Checks {
		bad(c.Check, names)
	}
	return problems
}
