package markup

import (
	"runtime"
	"strings"
	"testing"
)

// TestHeading: a heading is its words; the sign of a permalink is none of them.
func TestHeading(t *testing.T) {
	for heading, want := range map[string]string{
		`Owls<a class="headerlink" href="#owls" title="Permalink">¶</a>`:  "Owls",
		`<a href="#owls" aria-hidden="true">#</a> Owls`:                   "Owls",
		`<a href="#owls"></a>Owls &amp; more`:                             "Owls & more",
		`<a href="#owls">Owls</a> by night`:                               "Owls by night",
		`<a href="/owls/">→</a> Owls`:                                     "→ Owls",
		`<a name="owls">¶</a>Owls`:                                        "¶Owls",
		`Owls<a href="#a"> ¶ </a>by night`:                                "Owlsby night",
		`Owls <a href="#a">§ 1</a>`:                                       "Owls § 1",
		`Owls<script>x</script><br>by night`:                              "Owls by night",
		`<span>Owls</span><div>by</div>night <i hidden>no <i>no</i></i>!`: "Owls by night !",
	} {
		src := Read([]byte("<!doctype html><meta charset=utf-8><h1>" + heading + "</h1><p>x"))
		if got := TextOf(src, 36, "h1"); got != want {
			t.Errorf("%s: %q, want %q", heading, got, want)
		}
	}
}

// TestMatchesIn: void elements and what loads are found in noscripts.
func TestMatchesIn(t *testing.T) {
	p := Scan(
		[]byte(
			`<!doctype html><body><img src=a><noscript><img src=b><!-- <img src=c> --><p class=x>y</p><iframe src=d></iframe></noscript><template><noscript><img src=e></noscript></template>`),
		nil)
	for selector, want := range map[string]int{"img": 1, "img[src=b]": 1, "iframe": 1, "p": 0, ".x": 0,
		"img, iframe": 2, "p img": 0} {
		s, err := ParseSelector(selector)
		if err != nil {
			t.Fatal(err)
		}
		if got := s.MatchesIn(p); len(got) != want {
			t.Errorf("%s: %v, want %d", selector, got, want)
		}
	}
}

// TestDeclaredEncoding: what a browser would go by.
func TestDeclaredEncoding(t *testing.T) {
	pad := make([]byte, 1024)
	for i := range pad {
		pad[i] = ' '
	}
	for text, want := range map[string]string{
		"<meta charset=latin1>x": "latin1", "x": "", "\xef\xbb\xbfx": "its byte order mark", "\xff\xfex\x00": "its byte order mark", string(pad) + "<meta charset=utf-8>": "",
	} {
		if got := DeclaredEncoding([]byte(text)); got != want {
			t.Errorf("%.30q: %q, want %q", text, got, want)
		}
	}
	for text, utf8 := range map[string]bool{"<p>x": false, "<p>\xe9": false, "<p>é": false,
		"<meta charset=utf-8>é": true, "\xef\xbb\xbfx": true, "<meta charset=latin1>x": false} {
		if got := Read([]byte(text)).UTF8(); got != utf8 {
			t.Errorf("%q takes any character: %v, want %v", text, got, utf8)
		}
	}
	if got := Read([]byte("<title>caf\xe9")).Decode("caf\xe9"); got != "café" {
		t.Errorf("an undeclared page that is no UTF-8 is read as %q", got)
	}
}

// TestPermalinksGrow: the signs of permalinks are left out without copying the text once for each of them.
func TestPermalinksGrow(t *testing.T) {
	taken := func(n int) uint64 {
		src := ReadAs([]byte("<div>"+strings.Repeat(`a<a href="#x">¶</a>`, n)), "utf-8")
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		if got := TextOf(src, 0, "div"); got != strings.Repeat("a", n) {
			t.Fatalf("%d bytes, not %d", len(got), n)
		}
		runtime.ReadMemStats(&after)
		return after.TotalAlloc - before.TotalAlloc
	}
	if small, large := taken(1000), taken(8000); large > 16*small {
		t.Errorf("1,000 take %d bytes, 8,000 %d", small, large)
	}
}
