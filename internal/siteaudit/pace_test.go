package siteaudit_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/browser"
	"yellowgate/internal/demo"
	"yellowgate/internal/publish"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/visits"
)

// pacePages are how many pages the benchmark opens.
const pacePages = 60

var paceScreens = []browser.Screen{{Width: 1280, Height: 800}, {Width: 390, Height: 844}}

// BenchmarkBrowser holds an audit in the browser against the browser itself: the same pages at the
// same screens, each opened when the one before has fired its load event, and nothing asked of it.
//
//	go test ./internal/siteaudit -run - -bench Browser -benchtime 3x
func BenchmarkBrowser(b *testing.B) {
	name, err := exec.LookPath("chromium")
	if err != nil {
		b.Skip("there is no Chromium on this machine to measure with")
	}
	dir := filepath.Join(b.TempDir(), "tern-hill")
	files := manyPages(b, dir)
	public := filepath.Join(dir, "public")
	b.Run("alone", func(b *testing.B) {
		server := httptest.NewServer(http.FileServer(http.Dir(public)))
		defer server.Close()
		for b.Loop() {
			loadAll(b, name, server.URL, files)
		}
	})
	b.Run("audit", func(b *testing.B) {
		for b.Loop() {
			o := siteaudit.Options{Dir: public, Project: openIn(b, dir), NoCache: true}
			o.Browser = &visits.Browsing{Screens: paceScreens, Options: browser.Options{Popups: true}}
			r, err := siteaudit.Audit(b.Context(), o)
			if err != nil {
				b.Fatal(err)
			}
			if r.Pages != len(files) {
				b.Fatalf("%d pages, want %d", r.Pages, len(files))
			}
		}
		own, most := memory()
		b.ReportMetric(own, "MB")
		b.ReportMetric(most, "MB-most")
	})
}

// manyPages writes the demo with copies of its journal's entries until there are enough pages, applies its
// gate, and returns the files of the pages.
func manyPages(b *testing.B, dir string) (files []string) {
	if _, err := demo.Write(dir); err != nil {
		b.Fatal(err)
	}
	for n := range pacePages {
		p := openIn(b, dir)
		if len(p.Pages) >= pacePages {
			break
		}
		text, err := os.ReadFile(
			filepath.Join(dir, "site", "journal", []string{"comet", "mirror", "owls"}[n%3], "index.html"))
		again := filepath.Join(dir, "site", "journal", fmt.Sprintf("again-%d", n))
		if err == nil {
			err = os.MkdirAll(again, 0o755)
		}
		if err == nil {
			err = os.WriteFile(filepath.Join(again, "index.html"), text, 0o644)
		}
		if err != nil {
			b.Fatal(err)
		}
	}
	p := openIn(b, dir)
	if _, err := publish.Apply(context.Background(), p, publish.Options{}); err != nil {
		b.Fatal(err)
	}
	for i := range p.Pages {
		files = append(files, p.Pages[i].File)
	}
	return files
}

// loadAll opens the pages one after another, each in a browser context of its own, as an audit does.
func loadAll(b *testing.B, name, address string, files []string) {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox,
		chromedp.DisableGPU, chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"))
	ctx, stop := chromedp.NewExecAllocator(context.Background(), options...)
	defer stop()
	ctx, stop = chromedp.NewContext(ctx, chromedp.WithErrorf(func(string, ...any) {}))
	defer stop()
	if err := chromedp.Do(ctx); err != nil {
		b.Fatal(err)
	}
	for _, file := range files {
		for _, screen := range paceScreens {
			own, err := chromedp.CallBrowser(ctx, target.CreateBrowserContext, target.CreateBrowserContextParams{})
			if err != nil {
				b.Fatal(err)
			}
			blank, err := chromedp.CallBrowser(ctx, target.CreateTarget, target.CreateTargetParams{
				URL: "about:blank", BrowserContextID: own.BrowserContextID, NewWindow: new(true),
			})
			if err != nil {
				b.Fatal(err)
			}
			tab, shut := chromedp.NewContext(ctx, chromedp.WithTargetID(blank.TargetID))
			loaded := make(chan bool, 1)
			err = chromedp.Listen(tab, func(ev any) {
				if _, ok := ev.(*page.EventLoadEventFired); ok {
					loaded <- true
				}
			})
			if err == nil {
				_, err = chromedp.Call(tab, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
					Width: int64(screen.Width), Height: int64(screen.Height), DeviceScaleFactor: 1, Mobile: screen.Width < 600,
				})
			}
			if err == nil {
				to := page.NavigateParams{URL: address + "/" + (&url.URL{Path: file}).EscapedPath()}
				_, err = chromedp.Call(tab, page.Navigate, to)
			}
			if err != nil {
				b.Fatal(err)
			}
			select {
			case <-loaded:
			case <-time.After(2 * time.Minute):
				b.Fatalf("%s does not load", file)
			}
			shut()
			_, _ = chromedp.CallBrowser(ctx, target.DisposeBrowserContext,
				target.DisposeBrowserContextParams(own))
		}
	}
}

// memory is what this process has in memory now and had at most, in MB; 0 where the system does not
// tell.
func memory() (own, most float64) {
	text, _ := os.ReadFile("/proc/self/status")
	for line := range strings.Lines(string(text)) {
		var kB float64
		if _, err := fmt.Sscanf(line, "VmHWM: %f kB", &kB); err == nil {
			most = kB / 1000
		}
		if _, err := fmt.Sscanf(line, "VmRSS: %f kB", &kB); err == nil {
			own = kB / 1000
		}
	}
	return own, most
}
