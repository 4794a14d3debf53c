package browser_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestStandIns: what the demo's vendors do at run time is told of the pages as they were, with item and
// chain, and nothing of it of the gated ones; what the consent banner holds back comes with a click.
func TestStandIns(t *testing.T) {
	testsize.OnlyFull(t)
	t.Parallel()
	clitest.NeedBrowser(t)
	b := clitest.New(t)
	s := b.Start("demo", "--serve", "--listen", "127.0.0.1:0")
	s.Says("yellowgate audit")
	var hosts []string
	for _, m := range regexp.MustCompile(`--host (\S+)`).FindAllStringSubmatch(s.Said(), -1) {
		hosts = append(hosts, "--host", m[1])
	}
	if len(hosts) != 14 {
		t.Fatalf("the stand-ins are %v", hosts)
	}
	dir := filepath.Join(b.Dir, "tern-hill")
	if err := os.CopyFS(filepath.Join(dir, "asis"), os.DirFS(filepath.Join(dir, "site"))); err != nil {
		t.Fatal(err)
	}
	b.Want(0, clitest.Args("apply", "--gate", "tern-hill/yellowgate.yaml", "-q"))
	for _, side := range []string{"asis", "public"} { // other pages cost time alone
		all, err := filepath.Glob(filepath.Join(dir, side, "*"))
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range all {
			if name := filepath.Base(p); !slices.Contains(
				[]string{"css", "img", "js", "kit", "lib", "shop", "contact", "thanks", "index.html"}, name) {
				if err := os.RemoveAll(p); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	family := func(more ...string) (told []string) {
		line := append(
			[]string{"audit", "--gate", "tern-hill/yellowgate.yaml", "--browser", "--wait", "1s", "--format", "json",
				"--fail-on", "never", "-q"}, more...)
		var r struct {
			Findings []struct{ Check, Page, Item, Message string }
			Rendered []struct{ Path, Unread string }
		}
		if err := json.Unmarshal([]byte(b.Want(0, clitest.Args(append(line, hosts...)...))), &r); err != nil {
			t.Fatal(err)
		}
		if len(r.Rendered) != 4 ||
			slices.ContainsFunc(r.Rendered, func(v struct{ Path, Unread string }) bool { return v.Unread != "" }) {
			t.Errorf("%v: pages were not read: %+v", more, r.Rendered)
		}
		for _, f := range r.Findings {
			if slices.Contains(renderedFamily, f.Check) && f.Check != "slow-paint" { // that is this machine's
				told = append(told, f.Check+" "+f.Page+" "+f.Item+": "+f.Message)
			}
		}
		return told
	}
	before := family("tern-hill/asis")
	for _, want := range []string{
		"moves-the-page /contact/ : the layout shifts by ",
		"cookie-set /shop/ : it leaves the cookie lantern, for 365 days",
		"failed-load /shop/ tag-box: https://tags.lantern.example/last-summer.js: it answers 404 (requested by https://tags.lantern.example/box.js)",
		"loaded-by-script /shop/ tag-box: https://tags.lantern.example/replay.js (requested by https://tags.lantern.example/box.js)",
		"loaded-by-script /shop/ tag-box: https://tags.lantern.example/last-summer.js",
		"loaded-by-script /shop/ booking-tag: https://campaign.lantern.example/booked.gif (requested by a script of the page)",
		"runtime-leak /shop/ booking-tag: item \"booking-tag\" is excluded here, and https://campaign.lantern.example/booked.gif is still requested",
		"script-error /shop/ tag-box: ",
		"unexpected-request /shop/ tag-box: tags.lantern.example is not among the trusted hosts",
		"metadata-rewritten /shop/ : the title is \"Tern Hill Observatory\" in the text, and \"★ Tern Hill Observatory\" in the browser",
		"covers-the-page /shop/ ask-banner: the dialog ask stands before the page, and nothing else can be used until it is closed, put in by https://ask.lantern.example/ask.js",
		"mostly-unused  : of https://tags.lantern.example/replay.js, 42.2 kB",
	} {
		n := slices.IndexFunc(before, func(s string) bool { return strings.HasPrefix(s, want) })
		if n < 0 {
			t.Errorf("%q is not told", want)
			continue
		}
		before = slices.Delete(before, n, n+1)
	}
	if len(before) > 0 {
		t.Errorf("told besides:\n  %s", strings.Join(before, "\n  "))
	}
	if after := family(); len(after) > 0 {
		t.Errorf("told of the gated site:\n  %s", strings.Join(after, "\n  "))
	}
	shop := append([]string{"show", "/shop/", "--source", "--gate", "tern-hill/yellowgate.yaml", "--browser", "-q"},
		hosts...)
	if out := b.Want(0, clitest.Args(shop...), "dialog"); strings.Contains(out, "agreed.gif") {
		t.Errorf("the banner holds nothing back:\n%s", out)
	}
	b.Want(0, clitest.Args(append(shop, "--click", "#ask button")...), "agreed.gif")
}
