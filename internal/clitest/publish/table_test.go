package publish_test

import (
	"encoding/csv"
	"math/rand"
	"os/exec"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// keysOfDemo are metadata keys, items and parameters of the demo.
const keysOfDemo = "title description canonical robots viewport lang og:title social.site meta.viewport page-veil page-veil.delay pointer.size night-letter visit-counter domkit glyph-shim visit-questions star-map.height"

// table is a table of pages as the program writes it, to be edited.
type table struct {
	rows [][]string
}

func tableOf(t *testing.T, b *clitest.Bench, keys string) *table {
	t.Helper()
	status, out, said := b.Exec(strings.Fields("where " + keys + " --format csv")...)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(out, "\uFEFF"))).ReadAll()
	if status != 0 || err != nil {
		t.Fatalf("%d %v\n%s", status, err, said)
	}
	return &table{rows}
}

func (x *table) set(path, key, value string) {
	for k, h := range x.rows[0] {
		for _, row := range x.rows {
			if h == key && row[0] == path {
				row[k] = value
			}
		}
	}
}

func (x *table) String() string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.WriteAll(x.rows)
	return b.String()
}

// TestTable: an unchanged table changes nothing, in either form; an edited one changes what differs, and pages
// then have what it says; the table of before brings all of it back.
func TestTable(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, strings.Fields("demo ."))
	gate := b.Read("yellowgate.yaml")
	before := tableOf(t, b, keysOfDemo)
	if len(before.rows) != 29 {
		t.Fatalf("%d rows", len(before.rows))
	}
	b.Write("same.csv", before.String())
	b.Want(0, strings.Fields("set --table same.csv"), "nothing differs")
	b.Want(0, strings.Fields("where "+keysOfDemo+" --format xlsx --out same.xlsx"))
	b.Want(0, strings.Fields("set --table same.xlsx"), "nothing differs")
	if b.Read("yellowgate.yaml") != gate {
		t.Fatal("an unchanged table changed the gate file")
	}
	edited := tableOf(t, b, keysOfDemo)
	for _, c := range [][3]string{
		{"/visit/", "title", "Plan, \"now\"; =1"}, {"/contact/", "title", "'Tis the way"}, {"/book/", "og:title",
			"Book: it"}, {"/thanks/", "robots", ""}, {"/press/", "robots", "noindex"},
		{"/events/perseids/", "description", "Now from a table."}, {"/events/perseids/", "page-veil",
			"out"}, {
			"/events/saturn/", "page-veil", "in"},
		{"/events/saturn/", "page-veil.delay", "5s"}, {"/events/perseids/", "page-veil.delay", "4s"}, {"/privacy/",
			"night-letter", "out"}, {"/members/", "visit-counter", "in"}, {"/shop/", "lang", "en-GB"},
	} {
		edited.set(c[0], c[1], c[2])
	}
	b.Write("edited.csv", "\uFEFF"+strings.ReplaceAll(edited.String(), "\n", "\r\n"))
	b.Want(0, strings.Fields("set --table edited.csv --dry-run"), "13 values of the table", "This was a dry run")
	if b.Read("yellowgate.yaml") != gate {
		t.Fatal("a dry run changed the gate file")
	}
	b.Want(0, strings.Fields("set --table edited.csv"), "the values are in facts/table.csv")
	if got := tableOf(t, b, keysOfDemo).String(); got != edited.String() {
		t.Errorf("the pages have\n%s\nand the table\n%s", got, edited)
	}
	if rules := strings.Count(b.Read("yellowgate.yaml"), "set in a table, facts/table.csv"); rules != 2 { // of metadata, and of a parameter
		t.Errorf("%d rules:\n%s", rules, b.Read("yellowgate.yaml"))
	}
	b.Want(0, strings.Fields("apply"))
	if page := b.Read("public/visit/index.html"); !strings.Contains(page, "<title>Plan, \"now\"; =1</title>") {
		t.Error(page)
	}
	b.Want(0, strings.Fields("set --table edited.csv"), "nothing differs")
	b.Want(0, strings.Fields("set --table same.csv"), "13 values")
	if got := tableOf(t, b, keysOfDemo).String(); got != before.String() {
		t.Errorf("the pages have\n%s\nand had\n%s", got, before)
	}
	if facts := b.Read("facts/table.csv"); strings.Count(facts, "\n") != 1 {
		t.Errorf("facts are left that nobody needs:\n%s", facts)
	}
	b.Want(0, strings.Fields("back"))
	b.Want(0, strings.Fields("back"))
	if b.Read("yellowgate.yaml") != gate {
		t.Error("back does not bring the gate file back")
	}
}

// TestTableErrors: what is wrong with a table is said with its place, and nothing is written.
func TestTableErrors(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, strings.Fields("demo ."))
	gate := b.Read("yellowgate.yaml")
	for text, want := range map[string]string{
		"title\nx\n":                        "no column is called path",
		"path,titel\n/visit/,x\n":           `t.csv:1:2: no metadata key, item or parameter is called "titel" (did you mean "title"?)`,
		"path,page-veil.dely\n/,1s\n":       `item "page-veil" has no parameter "dely"`,
		"path,title\n/vist/,x\n":            `t.csv:2:1: `,
		"path,title\n/visit/,x\n/visit,y\n": "t.csv:3:1: /visit/ stands in row 2, too",
		"path,page-veil\n/visit/,yes\n":     `an item is in or out, not "yes"`,
		"path,icon\n/visit/,/x.svg\n":       "so no table sets it",
		"path,title\n/visit/,d\xe9j\xe0\n":  "t.csv:2:10: the table is not UTF-8",
		"path,title\n/journal/nuit-des-meteores/,La nuit des mÃ©tÃ©ores | Tern Hill Observatory\n": "read in a wrong encoding",
		"path,summer-notice\n/visit/,in\n":                                   "it is disabled",
		"path,visit-questions\n/visit/,in\n/,in\n/book/,in,\n/press/,in,x\n": "the row has 3 values, the header 2",
	} {
		b.Write("t.csv", text)
		b.Want(2, strings.Fields("set --table t.csv"), want)
		if b.Read("yellowgate.yaml") != gate || b.Exists("facts/table.csv") {
			t.Fatalf("%q: something was written", text)
		}
	}
	b.Want(2, strings.Fields("set page-veil --table t.csv"), "--table is all that set does")
	b.Want(2, strings.Fields("set"), "takes the name of one item, or --table FILE")
	b.Want(2, strings.Fields("where --pages all"), "a table of pages has metadata keys")
	b.Want(2, strings.Fields("where title titel"), `did you mean "title"?`)
	b.Want(0, strings.Fields("where title page-veil.delay --pages events"), "6 pages", "Saturn and his rings", "3.5s")
}

// TestTableAtRandom: whatever is edited, pages have it then, or nothing is written.
func TestTableAtRandom(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, strings.Fields("demo ."))
	random := rand.New(rand.NewSource(30))
	keys := "title description robots og:title page-veil night-letter visit-counter page-veil.delay"
	values := map[string][]string{
		"robots":          {"", "noindex", "nofollow"},
		"page-veil":       {"in", "out"},
		"night-letter":    {"in", "out"},
		"visit-counter":   {"in", "out"},
		"page-veil.delay": {"1s", "4s", "300ms"},
	}
	texts := []string{
		"", "a", "none", "true", "1.10", "'t is", "two  spaces", "Zwölf, »Nächte«", "a \"b\" c",
		"'=x", "=SUM(A1)", "@{page.title}", "{x: y}", "# no comment",
	}
	refused := 0
	for i := range testsize.Of(12, 60) {
		edited := tableOf(t, b, keys)
		for range 1 + random.Intn(5) {
			row := edited.rows[1+random.Intn(len(edited.rows)-1)]
			k := 1 + random.Intn(len(row)-1)
			choice := values[edited.rows[0][k]]
			if choice == nil {
				choice = texts
			}
			row[k] = choice[random.Intn(len(choice))]
		}
		b.Write("t.csv", edited.String())
		gate := b.Read("yellowgate.yaml")
		status, out, said := b.Exec("set", "--table", "t.csv")
		got := tableOf(t, b, keys)
		switch {
		case status != 0:
			if refused++; status != 2 || !strings.Contains(said, " would be ") || b.Read("yellowgate.yaml") != gate {
				t.Fatalf("%d: refused, and written: %s", i, said)
			}
		case flat(got.String()) != flat(edited.String()):
			t.Fatalf("%d: the pages have\n%s\nand the table\n%s\n%s%s", i, got, edited, out, said)
		}
	}
	if refused > 20 {
		t.Errorf("%d tables were refused", refused)
	}
	t.Logf("%d tables were refused", refused)
}

func flat(s string) string {
	return strings.NewReplacer("'=", "=", "'@", "@").Replace(strings.Join(strings.Fields(s), " "))
}

// TestTablesOfOthers: tables as other programs write them come back unchanged, or with what to do about it. It
// skips where the machine has no such program.
func TestTablesOfOthers(t *testing.T) {
	convert, err := exec.LookPath("ssconvert")
	if err != nil {
		t.Skip("there is no spreadsheet program on this machine to try it with")
	}
	b := clitest.New(t)
	b.Want(0, strings.Fields("demo ."))
	b.Want(0, strings.Fields("where "+keysOfDemo+" --format xlsx --out o.xlsx"))
	b.Want(0, strings.Fields("where "+keysOfDemo+" --format csv --out o.csv"))
	for _, c := range [][]string{
		{"o.xlsx", "a.csv"}, {"o.csv", "b.xlsx"}, {"o.xlsx", "c.xlsx"},
		{"-O", "separator=; eol=windows", "o.xlsx", "d.txt"},
		{"-O", "separator=; charset=windows-1252", "o.xlsx", "e.txt"},
		{"o.xlsx", "f.ods"},
	} {
		cmd := exec.Command(convert, c...)
		cmd.Dir = b.Dir
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%v: %v\n%s", c, err, out)
		}
		switch name := c[len(c)-1]; name {
		case "e.txt":
			b.Want(2, strings.Fields("set --table "+name), "--encoding windows-1252")
			b.Want(0, strings.Fields("set --encoding windows-1252 --table "+name), "nothing differs")
		case "f.ods":
			b.Want(2, strings.Fields("set --table "+name), "OpenDocument")
		default:
			b.Want(0, strings.Fields("set --table "+name), "nothing differs")
		}
	}
}
