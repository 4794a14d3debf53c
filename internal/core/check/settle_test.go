package check

import (
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// TestSettle: what the gate file says of severities and of findings to live with.
func TestSettle(t *testing.T) {
	f, problems := gatefile.Parse("g.yaml", []byte(`yellowgate: 1
strict: true
checks: {title-length: none, blocking-script: error, unclaimed-element: note}
accept:
  - {check: dead-file, pages: /old/**, note: it goes in spring}
  - {check: double-load, about: /js/kit.js, pages: all, note: the two are meant}
  - {check: leaked-item, item: kit, pages: all, note: the vendor's}
items: {kit: {found: b, pages: none}, other: {found: i, pages: none}}
`), nil)
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	s := Settle(f)
	for _, c := range []struct {
		check, severity, path, item string
		want                        string // the severity then, "off" or "accepted"
	}{
		{"title-length", "note", "/", "", "off"},
		{"blocking-script", "warning", "/", "", "error"},
		{"unclaimed-element", "note", "/", "", "note"},
		{"title-missing", "error", "/", "", "error"},
		{"dead-file", "error", "/old/a/", "", "accepted"},
		{"dead-file", "error", "/new/", "", "error"},
		{"leaked-item", "error", "/new/", "kit", "accepted"},
		{"leaked-item", "error", "/new/", "other", "error"},
		{"dead-file", "error", "", "", "error"}, // of no page
		{"double-load", "warning", "/", "/js/kit.js", "accepted"},
		{"double-load", "warning", "/", "/js/kit.js.old", "warning"},
	} {
		severity, ok := problem.ParseSeverity(c.severity)
		if !ok {
			t.Fatal(c.severity)
		}
		x := Finding{Check: c.check, Severity: severity, Page: c.path, Item: c.item, About: c.item}
		var pg *page.Page
		if c.path != "" {
			pg = &page.Page{Path: c.path, File: c.path[1:] + "index.html"}
		}
		var with []int
		if pg != nil {
			with = s.Lives(pg)
		}
		keep, accepted := s.Apply(&x, with)
		got := x.Severity.String()
		switch {
		case accepted:
			got = "accepted"
		case !keep:
			got = "off"
		}
		if got != c.want {
			t.Errorf("%s on %s: %s, want %s", c.check, c.path, got, c.want)
		}
	}
	if keep, _ := s.Apply(&Finding{Check: "title-length"}, nil); keep {
		t.Error("a check that is switched off is kept")
	}
	var none *Settlement
	if keep, accepted := none.Apply(&Finding{Check: "x"}, nil); !keep || accepted {
		t.Error("without a gate file, findings are not as they are")
	}
}
