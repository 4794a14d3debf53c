package check

import (
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// A Settlement is what the owner of the site has decided about findings: the
// severity of checks, and what to live with.
type Settlement struct {
	severity map[string]problem.Severity
	off      map[string]bool
	accept   []*gatefile.Accept
}

// Settle reads what the gate file says of findings.
func Settle(g *gatefile.Gate) *Settlement {
	s := &Settlement{severity: map[string]problem.Severity{}, off: map[string]bool{}, accept: g.Accept}
	if g.Strict {
		s.severity[UnclaimedElement] = problem.Warning
	}
	for _, c := range g.Checks {
		s.severity[c.Check.Value], s.off[c.Check.Value] = c.Severity, c.Off
	}
	return s
}

// Lives lists the entries of accept, by number, whose pages choose a page.
func (s *Settlement) Lives(pg *page.Page) (with []int) {
	if s == nil {
		return nil
	}
	for n, a := range s.accept {
		for i := range a.Pages {
			if a.Pages[i].Eval(pg) {
				with = append(with, n)
				break
			}
		}
	}
	return with
}

// Apply gives a finding its severity here. with is what Lives says of its page. keep is false
// where the check is switched off; accepted is true where the owner lives with the finding.
func (s *Settlement) Apply(f *Finding, with []int) (keep, accepted bool) {
	if s == nil {
		return true, false
	}
	if s.off[f.Check] {
		return false, false
	}
	if severity, ok := s.severity[f.Check]; ok {
		f.Severity = severity
	}
	for _, n := range with {
		if a := s.accept[n]; a.Check.Value == f.Check && (a.Item.Value == "" || a.Item.Value == f.Item) &&
			(a.About == "" || a.About == f.About) {
			return true, true
		}
	}
	return true, false
}
