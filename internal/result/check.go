package result

import (
	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
)

// Check is what check found out.
type Check struct {
	Gate     *gatefile.Gate
	Problems []problem.Problem
	Tally    Tally
	Pages    int // that are no fragments
	Files    int // of HTML
	// Fragments are the files of HTML that are no pages of their own.
	Fragments []string
	Rules     []gatecheck.RuleCount
}

// Tally is on how many pages each item is in, in the gate file's order.
type Tally []ItemCount

// An ItemCount is one item with its counts.
type ItemCount struct {
	Item  *gatefile.Item
	In    int // pages it is in on
	Found int // pages whose source has elements it is found by
}

// ChosenBy is the item's pages and exceptions in one line.
func ChosenBy(it *gatefile.Item) string {
	if it.Disabled {
		return "disabled"
	}
	s := ""
	for i, q := range it.Pages {
		if i > 0 {
			s += " or "
		}
		s += q.Text
	}
	for i, q := range it.Except {
		if i == 0 {
			s += ", except "
		} else {
			s += " or "
		}
		s += q.Text
	}
	if s == "" && it.HasSpot() {
		return "where it has a spot"
	}
	if s == "" {
		return "where needed"
	}
	return s
}
