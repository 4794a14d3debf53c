package report

import (
	"encoding/xml"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"
)

// TestCharts: a drawing is well-formed, takes the page's colours, names what it shows
// as text, and has a bar for each thing, two where audits are compared.
func TestCharts(t *testing.T) {
	evil := `</text><script>alert(1)</script>&"`
	list := []weighed{{evil, 3000, 100}, {"a", 2000, 2500}, {"/a/very/long/path/that/no/axis/has/room/for.js", 10, 0}}
	for i := range 20 {
		list = append(list, weighed{fmt.Sprintf("small-%02d", i), i, i})
	}
	bar, was := regexp.MustCompile(`fill:var\(--bar\)`), regexp.MustCompile(`fill:var\(--was\)`)
	for _, c := range []struct {
		name      string
		svg       string
		bars, was int
	}{
		{"bars", string(bars(list, `Weight of "all"`, false)), 14, 0},
		{"bars compared", string(bars(list, `Weight of "all"`, true)), 14, 14},
		{"one", string(bars(list[:1], `Weight of "all"`, false)), 1, 0},
		{"ranks", string(ranks(list, `Weight of "all"`, false)), 0, 0},
	} {
		d := xml.NewDecoder(strings.NewReader(c.svg))
		texts := 0
		for {
			token, err := d.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Errorf("%s: %v", c.name, err)
				break
			}
			switch x := token.(type) {
			case xml.StartElement:
				if x.Name.Local == "script" {
					t.Errorf("%s: a name became an element", c.name)
				}
				if x.Name.Local == "text" {
					texts++
				}
			}
		}
		if n, m := len(bar.FindAllString(c.svg, -1)), len(was.FindAllString(c.svg, -1)); n != c.bars || m != c.was {
			t.Errorf("%s: %d bars and %d of before, want %d and %d", c.name, n, m, c.bars, c.was)
		}
		if texts < 3 || !strings.Contains(c.svg, `aria-label="Weight of &#34;all&#34;"`) ||
			regexp.MustCompile(`#0[0-9]0[0-9A-Fa-f]0`).MatchString(c.svg) {
			t.Errorf("%s: %d texts, or no label, or colours of its own", c.name, texts)
		}
	}
	if got := string(bars(nil, "x", false)); !strings.Contains(got, "nothing whose weight is known") {
		t.Errorf("a chart of nothing: %s", got)
	}
}
