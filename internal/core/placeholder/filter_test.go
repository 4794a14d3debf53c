package placeholder

import (
	"strings"
	"testing"
)

// TestFilters: what filters leave of a page's own title or heading.
func TestFilters(t *testing.T) {
	values := map[string]string{
		"page.title":   "Owls | Journal | Tern Hill",
		"page.heading": "Journal: Owls: a year",
		"page.path":    "/",
		"site.name":    "Tern Hill",
		Language:       "de",
		"fact.when":    "14. August 2027, 20:30",
		"fact.when2":   "Am 3. Mai um acht. Dann Tee.", "fact.price": "ab 1.234,50 €",
		"fact.blurb": "Dr. Ellery shows Mars. Then more! Then tea.",
		"fact.html":  "<p>Owls &amp; &lt;i&gt;<br>by <b class='>'>ni</b>ght,<script>x</script><!-- y --><p hidden>not this</p><p>all",
	}
	lookup := func(name string) string { return values[name] }
	for text, want := range map[string]string{
		`@{page.title | before " | "}`:                    "Owls | Journal",
		`@{page.title | before " | " | before " | "}`:     "Owls",
		`@{page.title | after " | "}`:                     "Journal | Tern Hill",
		`@{page.title | before " - "}`:                    "Owls | Journal | Tern Hill",
		`@{page.heading | after ": " | before ':'}`:       "Owls",
		`@{page.title | without " | Tern Hill"}`:          "Owls | Journal",
		`@{page.title | without "Tern Hill" | cut 8}`:     "Owls…",
		`@{site.name | without "Tern Hill" or "x"}`:       "",
		`@{site.name | before "Tern"}`:                    "",
		`@{site.name or page.path | without "Tern Hill"}`: "/",
		`@{page.title | before "|}" | upper}`:             "OWLS | JOURNAL | TERN HILL",
		`@{fact.when | date}`:                             "2027-08-14T20:30",
		`@{fact.when | date long}`:                        "14. August 2027",
		`@{fact.price | number}`:                          "1234.50",
		`@{fact.price | number local}`:                    "1.234,50",
		`@{fact.blurb | sentence}`:                        "Dr. Ellery shows Mars.",
		`@{fact.when2 | sentence}`:                        "Am 3. Mai um acht.",
		`@{page.path | sentence}`:                         "/",
		`@{fact.html | strip}`:                            "Owls & <i> by night, all",
		`@{page.heading | date}`:                          "",
		`@{fact.blurb | number}`:                          "",
	} {
		tmpl, err := Parse(text, Scope{})
		if err != nil {
			if want != "" {
				t.Errorf("%s: %v", text, err)
			}
			continue
		}
		got, failed := tmpl.Fill(lookup)
		if got != want || (failed != nil) != (want == "") {
			t.Errorf("%s: %q %v, want %q", text, got, failed, want)
		}
	}
	for text, want := range map[string]string{
		`@{page.title | before}`:     `before needs a text in quotes: before " | "`,
		`@{page.title | after x}`:    "after needs a text in quotes",
		`@{page.title | without ""}`: "without needs a text in quotes",
		`@{page.title | date lng}`:   `unknown style "lng" of date (did you mean "long"?)`,
		`@{page.title | befor "x"}`:  `unknown filter "befor" (did you mean "before"?)`,
	} {
		if _, err := Parse(text, Scope{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", text, err, want)
		}
	}
}
