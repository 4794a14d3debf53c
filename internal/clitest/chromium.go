package clitest

import (
	"context"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// Chromium, as a witness of what the program writes.

// BrowserName is the path of a browser on this machine, "" for none.
func BrowserName() string {
	for _, n := range []string{"chromium", "chromium-browser", "google-chrome", "chrome"} {
		if path, err := exec.LookPath(n); err == nil {
			return path
		}
	}
	return ""
}

// NeedBrowser skips a test where the machine has no browser.
func NeedBrowser(t *testing.T) string {
	t.Helper()
	name := BrowserName()
	if name == "" {
		t.Skip("there is no Chromium on this machine to try it in")
	}
	return name
}

// shared is the one browser of a package's tests.
var shared struct {
	sync.Mutex
	ctx  context.Context
	stop func()
}

func stopBrowser() {
	shared.Lock()
	defer shared.Unlock()
	if shared.stop != nil {
		shared.stop()
	}
}

// Browser is a tab of the package's browser on the output folder of a bench.
func Browser(b *Bench) Tab {
	NeedBrowser(b.T)
	return BrowserAt(b.T, Serve(b.T, filepath.Join(b.Dir, "public")))
}

// BrowserAt is a tab of the package's browser, with cookies and storage of its own, for a site at an
// address. It skips where the machine has none.
func BrowserAt(t *testing.T, site string) Tab {
	t.Helper()
	name := NeedBrowser(t)
	shared.Lock()
	defer shared.Unlock()
	if shared.ctx == nil {
		ctx, stop, err := launch(name)
		if err != nil {
			stop()
			t.Skipf("the browser %s does not start: %v", name, err)
		}
		shared.ctx, shared.stop = ctx, stop
	}
	tab, shut := FreshTab(t, shared.ctx, site)
	t.Cleanup(shut)
	return tab
}

// FreshTab is a tab in a browser context of its own: no cookies, storage or compiled code of another.
func FreshTab(t *testing.T, ctx context.Context, site string) (tab Tab, shut func()) {
	t.Helper()
	own, err := chromedp.CallBrowser(ctx, target.CreateBrowserContext, target.CreateBrowserContextParams{})
	if err != nil {
		t.Fatal(err)
	}
	blank, err := chromedp.CallBrowser(ctx, target.CreateTarget, target.CreateTargetParams{
		URL: "about:blank", BrowserContextID: own.BrowserContextID, NewWindow: new(true), Width: 1000, Height: 700,
	})
	if err != nil {
		t.Fatal(err)
	}
	in, leave := chromedp.NewContext(ctx, chromedp.WithTargetID(blank.TargetID))
	in, stop := context.WithTimeout(in, 5*time.Minute)
	return Tab{t, in, site}, func() {
		stop()
		leave()
		_, _ = chromedp.CallBrowser(ctx, target.DisposeBrowserContext,
			target.DisposeBrowserContextParams(own))
	}
}

// Serve serves a folder on the loopback, and returns its address.
func Serve(t *testing.T, dir string) string {
	server := httptest.NewServer(http.FileServer(http.Dir(dir)))
	t.Cleanup(server.Close)
	return server.URL
}

// OwnBrowser is a tab of a browser of its own, that requests nothing but the loopback, for a site at an address. It
// skips where the machine has none.
func OwnBrowser(t *testing.T, most time.Duration, site string, more ...chromedp.ExecAllocatorOption) Tab {
	t.Helper()
	name := NeedBrowser(t)
	ctx, stop, err := launch(name, more...)
	t.Cleanup(stop)
	if err != nil {
		t.Skipf("the browser %s does not start: %v", name, err)
	}
	ctx, stop = context.WithTimeout(ctx, most)
	t.Cleanup(stop)
	return Tab{t, ctx, site}
}

func launch(name string, more ...chromedp.ExecAllocatorOption) (ctx context.Context, stop func(), err error) {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox,
		chromedp.DisableGPU, chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"), chromedp.WindowSize(1000, 700))
	ctx, end := chromedp.NewExecAllocator(context.Background(), append(options, more...)...)
	ctx, leave := chromedp.NewContext(ctx, chromedp.WithErrorf(func(string, ...any) {})) // events it does not know yet
	return ctx, func() { leave(); end() }, chromedp.Do(ctx)
}

// A Tab is a tab of a browser.
type Tab struct {
	*testing.T
	Ctx  context.Context
	Site string
}

// Do does something in the tab.
func (t Tab) Do(actions ...chromedp.Action[chromedp.Void]) {
	t.Helper()
	if err := chromedp.Do(t.Ctx, actions...); err != nil {
		t.Fatal(err)
	}
}

// Listen calls a function for each event of the tab.
func (t Tab) Listen(hear func(ev any)) {
	t.Helper()
	if err := chromedp.Listen(t.Ctx, hear); err != nil {
		t.Fatal(err)
	}
}

// Ask sends the tab a command of the DevTools protocol, and returns its result.
func Ask[P, R any](t Tab, command cdp.Command[P, R], params P) R {
	t.Helper()
	result, err := chromedp.Call(t.Ctx, command, params)
	if err != nil {
		t.Fatal(err)
	}
	return result
}

// Value evaluates an expression, or the promise that it is.
func Value[T any](t Tab, expression string) T {
	t.Helper()
	value, err := chromedp.Run(t.Ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	return value
}

// Script runs a script in the tab.
func (t Tab) Script(script string) {
	t.Helper()
	Value[chromedp.Void](t, script)
}

// Media shows the tab as in a medium, with a preference of the visitor, if one is named.
func (t Tab) Media(medium, preference, value string) {
	t.Helper()
	p := emulation.SetEmulatedMediaParams{Media: medium}
	if preference != "" {
		p.Features = []*emulation.MediaFeature{{Name: preference, Value: value}}
	}
	Ask(t, emulation.SetEmulatedMedia, p)
}

// Open goes to a page anew, as a visitor who was never there, or as one who was.
func (t Tab) Open(path string, again bool) {
	t.Helper()
	t.Do(chromedp.Navigate(t.Site + "/robots.txt")) // of the same origin, without a popup
	if !again {
		t.Script("localStorage.clear(); sessionStorage.clear()")
	}
	t.Do(chromedp.Navigate(t.Site + path))
}

// JS evaluates an expression to a string.
func (t Tab) JS(expression string) string {
	t.Helper()
	return Value[string](t, "String("+expression+")")
}

// drawn resolves when the browser has drawn twice: what lay below a dialog takes clicks again.
const drawn = "new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))"

// Becomes waits until an expression has a value; what never has it takes a minute to fail.
func (t Tab) Becomes(what, expression, want string) {
	t.Helper()
	got := ""
	for begun := time.Now(); time.Since(begun) < time.Minute; time.Sleep(20 * time.Millisecond) {
		// While the tab goes to another page it refuses to answer: it is asked again.
		var err error
		if got, err = chromedp.Run(t.Ctx, chromedp.Evaluate[string]("String("+expression+")")); err != nil {
			got = err.Error()
		}
		if got == want {
			_ = chromedp.Do(t.Ctx, chromedp.Evaluate[chromedp.Void](drawn, chromedp.EvalAwaitPromise))
			return
		}
	}
	t.Errorf("%s: %s is %q, want %q", what, expression, got, want)
}

// Stays looks that an expression keeps a value for a while: a slow machine makes it miss a failure,
// and never fail.
func (t Tab) Stays(what, expression, want string) {
	t.Helper()
	time.Sleep(300 * time.Millisecond)
	if got := t.JS(expression); got != want {
		t.Errorf("%s: %s is %q, want %q", what, expression, got, want)
	}
}
