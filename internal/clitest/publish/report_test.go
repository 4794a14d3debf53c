package publish_test

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"yellowgate/internal/clitest"
)

// TestReport: who reads no gate files finds what is on the booking pages, why, and who decided it; in every form.
func TestReport(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, strings.Fields("demo ."))
	b.Want(0, strings.Fields("set visit-counter --more --except /privacy/"))
	b.Want(0, []string{"apply", "--message", "No counting on the <privacy> page"})
	b.Want(0, strings.Fields("set pointer --param size=30"))
	b.Want(0, strings.Fields("report"), "The booking pages",
		"/book/ and all pages below it and the page /thanks/: 3 pages", "As on most pages: visit-counter.",
		"Not here: book-link, night-letter.", "only on /book/pay/", "the script /js/pay-form.js",
		"tells people of a mistyped card number", "No counting on the <privacy> page", "not in effect yet")
	b.Want(0, strings.Fields("report --format html --out r.html"))
	page := b.Read("r.html")
	doc, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	ids := map[string]bool{}
	for n := range doc.Descendants() {
		for _, a := range n.Attr {
			if a.Key == "id" {
				ids[a.Val] = true
			}
			if (a.Key == "src" || a.Key == "href") && !strings.HasPrefix(a.Val, "#") &&
				!strings.HasPrefix(a.Val, "data:image/") {
				t.Errorf("the report loads or leads to %s", a.Val)
			}
		}
	}
	for _, m := range regexp.MustCompile(`href="#([^"]+)"`).FindAllStringSubmatch(page, -1) {
		if !ids[m[1]] {
			t.Errorf("a link leads to #%s, which is not there", m[1])
		}
	}
	for _, want := range []string{
		"all pages, but not the members pages and the page /privacy/", "No counting on the &lt;privacy&gt; page", "opens 8 seconds after the page has loaded",
		"not on the booking pages: nobody is disturbed while they book", "also on /events/perseids/", "pay.lantern.example", "ternhill.example › visit",
		"put into effect: No counting", "the gate file was changed: set pointer", "kept for later", "taken off 27", "145 B, rest unknown",
	} {
		if !strings.Contains(page, want) {
			t.Errorf("the page has nothing of %q", want)
		}
	}
	b.Want(0, strings.Fields("report --format markdown"), "### The booking pages",
		"| pay-form (only on /book/pay/) | the script /js/pay-form.js |", "## Who decided what")
	_, out, _ := b.Exec("report", "--format", "json")
	var o struct {
		Items []struct {
			Item    string
			On      int
			Bytes   int
			Decided struct {
				Number  int
				How     string
				First   bool
				Pending bool
			}
		}
		Kinds []struct {
			Name  string
			Pages int
		}
	}
	if err := json.Unmarshal([]byte(out), &o); err != nil || len(o.Items) != 25 || len(o.Kinds) != 6 {
		t.Fatalf("%v, %d items, %d kinds", err, len(o.Items), len(o.Kinds))
	}
	sum := 0
	for _, k := range o.Kinds[1:] {
		sum += k.Pages
	}
	if o.Kinds[0].Pages != 28 || sum != 28 { // the sets of the demo have no page in common
		t.Errorf("%+v", o.Kinds)
	}
	for _, it := range o.Items {
		d := it.Decided
		switch it.Item {
		case "visit-counter":
			if d.Number != 2 || d.How != "No counting on the <privacy> page" || d.First || it.On != 24 {
				t.Errorf("%+v", it)
			}
		case "pointer":
			if !d.Pending {
				t.Errorf("%+v", it)
			}
		case "quiet":
			if d.Number != 1 || !d.First {
				t.Errorf("%+v", it)
			}
		}
	}
	// An edit that is put into effect without a word says how it was made.
	b.Write("code/veil.html", b.Read("code/veil.html")+"\n<!-- slower -->\n")
	b.Want(0, strings.Fields("apply"))
	b.Want(0, strings.Fields("report --format markdown"), "set pointer --param size=30")
	if out := b.Want(0, strings.Fields("report")); strings.Contains(out, "not in effect yet") ||
		!regexp.MustCompile(`page-veil +code with a script.*\d{4}\n`).MatchString(out) {
		t.Errorf("the changed file of page-veil is not told:\n%s", out)
	}
	b.Replace("yellowgate.yaml", "note: every form looks the same", "note: every form looks the same, by hand")
	b.Want(0, strings.Fields("report"), "every form looks the same, by hand", "not in effect yet")
	for _, bad := range []string{"report x", "report --format csv"} {
		b.Want(2, strings.Fields(bad))
	}
}
