package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Suggest writes what could load on fewer pages.
func (p *Printer) Suggest(s *result.Suggestions, verbose bool) {
	var sum result.Savings
	open := 0
	for _, x := range s.Suggestions {
		sum.Requests += x.Saves.Requests
		sum.Blocking += x.Saves.Blocking
		sum.Bytes += x.Saves.Bytes
		if x.Lines == "" {
			open++
		}
	}
	if len(s.Suggestions) == 0 {
		p.Line("%s nothing loads on %s where nothing seems to need it.", p.in.Render("✓"),
			wording.Count(s.Pages, "page"))
	} else {
		p.Heading("%s on %s: would save %s", wording.Count(len(s.Suggestions), "suggestion"),
			wording.Count(s.Pages, "page"), saved(sum))
	}
	for i, x := range s.Suggestions {
		p.suggestion(x, verbose)
		if i == 9 && !verbose && len(s.Suggestions) > 12 {
			p.Line("")
			p.Line("  %s",
				p.dim.Render(
					fmt.Sprintf("… and %d more that save less: --verbose shows them", len(s.Suggestions)-10)))
			break
		}
	}
	if len(s.Unseen) > 0 {
		p.Heading("cannot be seen from the text: %d", len(s.Unseen))
		t := &table{right: map[int]bool{0: true}, wide: []int{2, 1}}
		for i, u := range s.Unseen {
			if i == 8 && !verbose && len(s.Unseen) > 10 {
				t.remark(fmt.Sprintf("… and %d more: --verbose shows them", len(s.Unseen)-8))
				break
			}
			t.add(p.num.Render(fmt.Sprint(u.Pages)), Clean(u.Name), p.dim.Render(Clean(u.Why)))
		}
		p.table(t)
	}
	p.Line("")
	switch {
	case len(s.Suggestions) == open:
	case s.Folder != "":
		p.Line("%s",
			p.dim.Render(
				"yellowgate survey "+s.Folder+
					" --write makes a first gate file; with one, yellowgate suggest --write puts what is certain "+
					"into it, and with --browser what that proves."))
	default:
		p.Line("%s",
			p.dim.Render(
				"yellowgate suggest --write puts what is certain into the gate file; --browser looks at what is "+
					"used, and proves what is not. Then: yellowgate diff"))
	}
}

// saved says what is saved, what is nothing left out.
func saved(s result.Savings) string {
	var parts []string
	if s.Requests > 0 {
		parts = append(parts, wording.Count(s.Requests, "request"))
	}
	if s.Blocking > 0 && s.Blocking == s.Requests {
		parts = append(parts, "all of them blocking")
	} else if s.Blocking > 0 {
		parts = append(parts, fmt.Sprintf("%d of them blocking", s.Blocking))
	}
	if s.Bytes > 0 {
		parts = append(parts, wording.Size(int64(s.Bytes)))
	}
	if len(parts) == 0 {
		return "no bytes"
	}
	return strings.Join(parts, ", ")
}

func (p *Printer) suggestion(x *result.Suggestion, verbose bool) {
	p.Line("")
	certainty := map[string]string{"certain": p.in.Render("certain"), "possible": p.warn.Render("possible")}[x.Certainty]
	if x.Saves == (result.Savings{}) {
		p.Line("%s  %s", p.name.Render(Clean(x.Name)), certainty)
	} else {
		where := ""
		if len(x.Needed) > 0 {
			limit := 3
			if verbose {
				limit = len(x.Needed)
			}
			where = " (" + wording.List(x.Needed, limit) + ")"
		}
		p.paragraph("",
			fmt.Sprintf("%s  %s: on %s, needed on %s%s; saves %s", p.name.Render(x.Name), certainty,
				wording.Count(x.Pages, "page"), p.num.Render(fmt.Sprint(len(x.Needed))), cleaned(where),
				saved(x.Saves)))
	}
	if verbose {
		for _, l := range x.Loads {
			p.Line("  %s", p.dim.Render("loads "+Clean(l)))
		}
	}
	p.paragraph("  ", p.dim.Render(strings.Join(x.Evidence, "; ")))
	if x.Lines == "" && x.Query != "" {
		p.Line("  %s",
			p.warn.Render(
				"other inline code has the same lines: give the element an id, and name it by found: SELECTOR"))
		return
	}
	if x.Lines == "" {
		p.Line("  %s", p.warn.Render("no short page query chooses these pages; a page set of your own may"))
		return
	}
	lines, item := strings.CutPrefix(x.Lines, "items:\n")
	for line := range strings.Lines(lines) {
		if item {
			line = strings.TrimPrefix(line, "  ")
		}
		p.Line("    %s", p.in.Render(Clean(strings.TrimRight(line, "\n"))))
	}
}
