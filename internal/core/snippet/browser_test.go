package snippet

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestValuesInBrowser shows a real browser what hostile values become in every place where
// a placeholder may stand: nothing runs, nothing is asked of another host, and the elements
// are those that a harmless word makes. It skips where the machine has no Chromium.
func TestValuesInBrowser(t *testing.T) {
	clitest.NeedBrowser(t)
	page := func(v string) string {
		var b strings.Builder
		b.WriteString(
			"<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title><script>alert = confirm = () => { window.pwned = 1 }; f = g = h = () => {}</script></head><body>\n")
		for i, code := range everyPlace {
			it, problems := item(t, "code: |\n  "+code)
			if len(problems) > 0 {
				t.Fatal(problems)
			}
			vals := values(map[string]string{"page.title": v})
			vals.Host = func(host string) bool { return host == "x.example" }
			if out, _, err := it.Render(0, vals); err == nil {
				fmt.Fprintf(&b, "<section data-place=%d>%s</section>\n", i, out)
			}
		}
		return b.String() + "</body></html>"
	}
	var mu sync.Mutex
	current := ""
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if r.URL.Path == "/base/dir/page/" {
			mu.Lock()
			defer mu.Unlock()
			fmt.Fprint(w, current)
		}
	}))
	defer server.Close()
	tab := clitest.OwnBrowser(t, 5*time.Minute, server.URL)
	// What each place has: its elements, and where those lead that lead anywhere else than
	// a value may.
	const read = `JSON.stringify([String(window.pwned), location.pathname, Object.fromEntries([...document.querySelectorAll("section")].map(s => [s.dataset.place,
		[...s.querySelectorAll("*")].map(e => e.localName + " " + ["href", "src", "action", "formAction", "data"].map(a => {
			const u = e[a] && e[a].baseVal !== undefined ? new URL(e[a].baseVal, document.baseURI) : e[a] && e.hasAttribute(a.toLowerCase()) ? new URL(e[a]) : null;
			return !u || u.host === location.host || ["x.example", ""].includes(u.host) && u.protocol !== "javascript:" && u.protocol !== "data:" || e.localName === "a" && /^https?:$/.test(u.protocol) ? "" : u.href }).join("")).join()]))])`
	look := func(v string) (pwned, path string, places map[string]string) {
		mu.Lock()
		current = page(v)
		mu.Unlock()
		tab.Do(chromedp.Navigate(server.URL + "/base/dir/page/"))
		out := clitest.Value[string](tab, read)
		var all []json.RawMessage
		err := json.Unmarshal([]byte(out), &all)
		if err == nil && len(all) == 3 {
			json.Unmarshal(all[0], &pwned)
			json.Unmarshal(all[1], &path)
			err = json.Unmarshal(all[2], &places)
		}
		if err != nil {
			t.Fatalf("%q: %v in %s", v, err, out)
		}
		return pwned, path, places
	}
	_, _, plain := look("x")
	if len(plain) != len(everyPlace) {
		t.Fatalf("the harmless page has %d places of %d", len(plain), len(everyPlace))
	}
	tried := 0
	every := testsize.Of(16, 1)
	for i, v := range append(hostileSeeds, "JaVaScRiPt:alert(1)", "\x01javascript:alert(1)", "java\tscript:alert(1)",
		"//127.0.0.1.evil.example/", "\n//evil.example", "x' onfocus=alert(1) autofocus tabindex=1 '",
		`x" onfocus="alert(1)" autofocus tabindex="1`, "${alert(1)}`+alert(1)+`", `\";alert(1)//`, `\');alert(1)//`,
		"</textarea><img src=x onerror=alert(1)>", "</noscript><img src=x onerror=alert(1)>",
		"</template><script>alert(1)</script>", "</svg><script>alert(1)</script>", "]]><script>alert(1)</script>") {
		if i%every != 0 {
			continue
		}
		pwned, path, places := look(v)
		if pwned != "undefined" || path != "/base/dir/page/" {
			t.Errorf("%q runs (%s, %s)", v, pwned, path)
		}
		for place, got := range places {
			if tried++; got != plain[place] {
				t.Errorf("%q in place %s: %s, want %s", v, place, got, plain[place])
			}
		}
	}
	if tried < 1000/every {
		t.Errorf("only %d values in places were tried", tried)
	}
	t.Logf("%d values in places", tried)
}
