package browser_test

import (
	"encoding/json"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

// TestDeferRemedy does what the audit says of blocking scripts: wherever it says that a script can be loaded with
// defer, alone or with others, the page works as it did, in a browser. Scripts of which it says that inline code needs
// them do break it.
func TestDeferRemedy(t *testing.T) {
	clitest.NeedBrowser(t)
	b := clitest.New(t, "site/kit.js", "window.kit = {go() { document.title = 'went' }}", "site/plug.js",
		"kit.plug = true", "site/alone.js", "addEventListener('load', () => window.done = 1)", "site/a/index.html",
		clitest.Doc("A",
			"<script src=/kit.js></script>\n<script src=/plug.js></script>\n<script src=/alone.js></script>\n<p>x</p>"),
		"site/b/index.html",
		clitest.Doc("B",
			"<script src=/kit.js></script>\n<script src=/alone.js></script>\n<p>x</p><script>kit.go()</script>"),
		"site/c/index.html",
		clitest.Doc("C",
			"<script src=/kit.js></script><p>x</p><script>document.addEventListener('click', () => 1)</script>"))
	blocking := findingsOf(t, b, "blocking-script", "audit", "site")
	errors := len(findingsOf(t, b, "script-error", "audit", "site", "--browser"))
	said := map[string]bool{}
	for _, f := range blocking {
		switch {
		case strings.HasPrefix(f.Remedy, "load it with defer") && !strings.Contains(f.Remedy, "if no script"):
			deferAt(b, "site/"+f.File, f.Line)
			for _, m := range regexp.MustCompile(`\(line (\d+)\)`).FindAllStringSubmatch(f.Remedy, -1) {
				line, _ := strconv.Atoi(m[1])
				deferAt(b, "site/"+f.File, line)
			}
			said["defer"] = true
		case strings.HasPrefix(f.Remedy, "the inline script in line"):
			said["inline "+f.File] = true
		}
	}
	if !said["defer"] || !said["inline b/index.html"] || said["inline c/index.html"] || said["inline a/index.html"] {
		t.Errorf("remedies: %v", said)
	}
	if after := findingsOf(t, b, "script-error", "audit", "site", "--browser"); len(after) != errors {
		t.Errorf("%d exceptions before, after: %+v", errors, after)
	}
	if left := len(findingsOf(t, b, "blocking-script", "audit", "site")); left == 0 || left*2 > len(blocking) {
		t.Errorf("%d of %d scripts block still", left, len(blocking))
	}
	deferAt(b, "site/b/index.html", lineOf(b, "site/b/index.html", "/kit.js"))
	if after := findingsOf(t, b, "script-error", "audit", "site", "--browser"); len(after) != errors+1 {
		t.Errorf("what inline code needs was deferred, and %d exceptions became %d", errors, len(after))
	}
}

type finding struct {
	Check, File, Remedy, Message string
	Line                         int
}

// findingsOf are the findings of a check, as a command that writes JSON has them.
func findingsOf(t *testing.T, b *clitest.Bench, check string, args ...string) (list []finding) {
	t.Helper()
	_, out, errout := b.Exec(append(args, "--format", "json", "--fail-on", "never")...)
	var r struct{ Findings []finding }
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatalf("%v: %v\n%s", args, err, errout)
	}
	for _, f := range r.Findings {
		if f.Check == check {
			list = append(list, f)
		}
	}
	return list
}

// deferAt loads the scripts of a line with defer.
func deferAt(b *clitest.Bench, name string, line int) {
	b.Helper()
	lines := strings.Split(b.Read(name), "\n")
	lines[line-1] = regexp.MustCompile(`<script (src=[^>]*)>`).
		ReplaceAllStringFunc(lines[line-1], func(tag string) string {
			if strings.Contains(tag, "defer") {
				return tag
			}
			return strings.Replace(tag, "<script ", "<script defer ", 1)
		})
	b.Write(name, strings.Join(lines, "\n"))
}

func lineOf(b *clitest.Bench, name, text string) int {
	before, _, _ := strings.Cut(b.Read(name), text)
	return strings.Count(before, "\n") + 1
}
