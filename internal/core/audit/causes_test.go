package audit

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

// TestCauses: what a check says about one thing is one cause, with its pages, the folder that they have in common,
// and the pages that are spared; those that do the most harm come first.
func TestCauses(t *testing.T) {
	var pages []PageSum
	var fs []check.Finding
	add := func(name string, s problem.Severity, page, about, message string) {
		fs = append(fs, check.Finding{Check: name, Severity: s, Page: page, About: about, Message: message})
	}
	for n := range 20 {
		page := fmt.Sprintf("/events/%02d/", n)
		if n > 17 {
			page = fmt.Sprintf("/about-%d.html", n)
		}
		pages = append(pages, PageSum{Path: page})
		add("blocking-script", problem.Warning, page, "/a.js", strings.Repeat("../", n)+"a.js blocks")
		if n != 3 && n != 19 {
			add("description-missing", problem.Warning, page, "", "none")
		}
		if n < 5 {
			add("dead-file", problem.Error, page, "/gone.js", "gone.js: no such file")
			add("dead-file", problem.Error, page, "/gone.js", "gone.js: no such file")
		}
		if n == 7 {
			add("stale-output", problem.Note, page, "", "behind")
		}
	}
	fs = append(fs, check.Finding{Check: "no-zoom", Severity: problem.Note, Pages: 20, Message: "on all 20 pages: x"})
	var got []string
	for _, c := range Causes(slices.Values(fs), pages) {
		got = append(got,
			fmt.Sprintf("%s %s %d/%d in %s spared %v", c.First.Check, c.First.Page, c.Places, c.Pages, c.Folder,
				c.Spared))
	}
	want := []string{
		"stale-output /events/07/ 1/1 in /events/07/ spared []",
		"dead-file /events/00/ 10/5 in /events/ spared []",
		"description-missing /events/00/ 18/18 in / spared [/events/03/ /about-19.html]",
		"blocking-script /events/00/ 20/20 in / spared []",
		"no-zoom  1/20 in / spared []",
	}
	if !slices.Equal(got, want) {
		t.Errorf("causes:\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	fs = nil
	for n := range mostCauses + 10 { // no more are kept
		add("x", problem.Note, "/", fmt.Sprint(n), "")
	}
	if all := Causes(slices.Values(fs), pages); len(all) != mostCauses+1 || all[mostCauses].Places != 10 {
		t.Errorf("%d causes", len(all))
	}
}
