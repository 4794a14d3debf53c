package capture

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/klauspost/compress/zstd"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// TestPartOfASite: a capture that is not to look at everything removes nothing but what the server says
// is gone.
func TestPartOfASite(t *testing.T) {
	o := newOrigin(t)
	links := ""
	for i := range 8 {
		links += fmt.Sprintf("<a href=/p%d>p</a>", i)
		o.mux.HandleFunc(fmt.Sprintf("/p%d", i), func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			if r.Header.Get("Gone") == "yes" && i == 1 {
				w.WriteHeader(http.StatusGone)
			}
			if r.Header.Get("Gone") == "yes" && i == 2 {
				w.WriteHeader(http.StatusForbidden)
			}
			fmt.Fprint(w, pageOf(fmt.Sprint("page ", i)))
		})
	}
	o.page("/", links)
	_, dir := o.capture(t, nil)
	all := files(t, dir)
	again := func(what string, set func(*Options), gone int, without ...string) {
		t.Helper()
		s, _ := o.capture(t, func(p *Options) { p.Dir = dir; set(p) })
		want := slices.DeleteFunc(slices.Clone(all), func(name string) bool { return slices.Contains(without, name) })
		if got := files(t, dir); !slices.Equal(got, want) || s.Gone != gone {
			t.Errorf("%s: %d gone, kept %q", what, s.Gone, got)
		}
		if n := len(lines(t, dir)); n < len(want) {
			t.Errorf("%s: %d lines of %d files", what, n, len(want))
		}
	}
	again("a limit", func(p *Options) { p.Most = 3 }, 0)
	again("a depth", func(p *Options) { p.Depth = 1 }, 0)
	again("some pages", func(p *Options) { p.Choose = func(path, _ string) bool { return path == "/p3/" } }, 0)
	again("one page", func(p *Options) { p.Alone = true }, 0)
	gone := func(p *Options) { p.Header = http.Header{"Gone": {"yes"}} }
	again("gone, and forbidden", func(p *Options) { gone(p); p.Most = 100 }, 1, "p1/index.html")
}

// TestWithoutEnd: what leads on without end ends by a limit, which is told.
func TestWithoutEnd(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<a href=/r/0>r</a><link rel=stylesheet href=/css/0.css>")
	step := func(kind, body string, status int) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			var n int
			_, _ = fmt.Sscanf(r.PathValue("n"), "%d", &n)
			next := fmt.Sprintf(body, n+1)
			w.Header().Set("Content-Type", kind)
			if status == http.StatusFound {
				w.Header().Set("Location", next)
			}
			w.WriteHeader(status)
			fmt.Fprint(w, next)
		}
	}
	o.mux.HandleFunc("/r/{n}", step("text/html", "/r/%d", http.StatusFound))
	o.mux.HandleFunc("/css/{n}", step("text/css", "@import '/css/%d.css';", http.StatusOK))
	s, _ := o.capture(t, func(p *Options) { p.Most, p.OwnSite = 1, true })
	if s.Limit != "too many requests" || s.Pages != 1 {
		t.Errorf("imports without end: %+v", s)
	}
	if n := len(o.paths()); n > 1100 {
		t.Errorf("%d requests for one page", n)
	}
	s, _ = o.capture(t, func(p *Options) { p.Alone, p.OwnSite = true, true; p.Start = mustParse(t, o.URL+"/") })
	if s.Limit == "" {
		t.Errorf("a page alone: %+v", s)
	}
	s, _ = o.capture(t, func(p *Options) { p.Most, p.OwnSite = 2, true })
	if !slices.ContainsFunc(s.Dead, func(d Dead) bool {
		return d.Why == "it redirects more than 20 times" && strings.HasSuffix(d.URL, "/r/20")
	}) {
		t.Errorf("redirects without end: %+v", s.Dead)
	}
}

// TestUnfolding: sitemaps and bodies that unfold to far more than was sent are read as far as the limits go.
func TestUnfolding(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<script src=/wide.js></script>")
	one := "<url><loc>/x</loc>" + strings.Repeat(" ", 4000) + "</url>"
	bomb := zipped("<urlset>" + strings.Repeat(one, 10_000) + "</urlset>") // 40 MB
	index := "<sitemapindex>"
	for i := range 6 {
		name := fmt.Sprintf("/bomb%d.xml.gz", i)
		index += "<sitemap><loc>" + name + "</loc></sitemap>"
		o.mux.HandleFunc(name, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "application/gzip")
			_, _ = w.Write(bomb)
		})
	}
	o.text("/sitemap.xml", "application/xml", index+"</sitemapindex>")
	o.mux.HandleFunc("/wide.js", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/javascript")
		w.Header().Set("Content-Encoding", "zstd")
		z, err := zstd.NewWriter(w, zstd.WithWindowSize(512<<20), zstd.WithSingleSegment(false))
		if err != nil {
			t.Error(err)
			return
		}
		_, _ = z.Write([]byte("x()"))
		_ = z.Flush()
		_, _ = z.Write([]byte("y()"))
		_ = z.Close()
	})
	s, dir := o.capture(t, func(p *Options) { p.Most, p.OwnSite = 1, true })
	if s.Limit != "sitemaps are too large" {
		t.Errorf("%+v", s)
	}
	if list := files(t, dir); slices.Contains(list, "wide.js") ||
		!slices.ContainsFunc(slices.Collect(maps.Keys(s.LeftOut)),
			func(why string) bool { return strings.Contains(why, "window size exceeded") }) {
		t.Errorf("a window of 512 MB: %q %v", list, s.LeftOut)
	}
}

// TestNamesOfSystems: names that mean something else than they say.
func TestNamesOfSystems(t *testing.T) {
	for _, c := range []struct {
		file, linux, windows string
	}{
		{"visit/index.html", "", ""}, {"console.html", "", ""}, {"com/index.html", "", ""},
		{"con.html", "", "a device"}, {"a/AUX/index.html", "", "a device"}, {"lpt1.tar.gz", "",
			"a device"}, {"nul",
			"", "a device"}, {"com¹.js", "", "a device"},
		{"a./index.html", "", "a dot or a space"}, {"a /index.html", "", "a dot or a space"}, {"index.html::$DATA",
			"", "a character"}, {"a?x=1/index.html", "", "a character"},
		{"yellowgate.yaml.", "decides", "decides"}, {"YellowGate.YAML", "decides", "decides"}, {"yellowgate.yaml. .",
			"decides", "decides"}, {"x/yellowgate.yaml::$DATA", "decides", "decides"}, {"yellow\u200cgate.yaml",
			"decides", "decides"},
	} {
		for system, want := range map[string]string{"linux": c.linux, "windows": c.windows} {
			if got := unfit(c.file, system); (got == "") != (want == "") || !strings.Contains(got, want) {
				t.Errorf("%q on %s: %q", c.file, system, got)
			}
		}
	}
	o := newOrigin(t)
	o.page("/", "<script src=/yellowgate.yaml.></script><a href=/A/>A</a><a href=/a/>a</a>")
	o.text("/yellowgate.yaml.", "text/javascript", "x")
	o.page("/A/", "large")
	o.page("/a/", "small")
	s, dir := o.capture(t, nil)
	if list := files(t, dir); !slices.Equal(list, []string{"A/index.html", "a/index.html", "index.html"}) ||
		len(s.LeftOut) != 1 {
		t.Errorf("%q %v", list, s.LeftOut)
	}
}

// TestFullDisk: a disk that is full ends the capture with an error, and what was kept before stays whole.
func TestFullDisk(t *testing.T) {
	o := newOrigin(t)
	o.page("/", "<a href=/one>1</a><a href=/two>2</a>")
	o.page("/one", "")
	o.page("/two", "")
	defer func() { fsys.Fault = nil }()
	fsys.Fault = func(op, name string) error {
		if op == "write" && strings.Contains(filepath.ToSlash(name), "/one/") {
			return syscall.ENOSPC
		}
		return nil
	}
	_, dir, err := o.tryCapture(t, func(p *Options) { p.Parallel = 1 })
	var pe *failure.Path
	if !errors.As(err, &pe) || !errors.Is(err, syscall.ENOSPC) {
		t.Errorf("%v", err)
	}
	fsys.Fault = nil
	if text, err := os.ReadFile(filepath.Join(dir, "index.html")); err != nil || !strings.Contains(string(text), "/one") {
		t.Errorf("%q %v", text, err)
	}
	if s, _ := o.capture(t, func(p *Options) { p.Dir, p.GoOn = dir, true }); s.Pages != 3 {
		t.Errorf("%+v", s)
	}
}
