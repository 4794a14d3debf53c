package browser

import (
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/cdproto/audits"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/emulation"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	corepage "yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
)

// grace is how long a visit may take besides the waits that it was told.
const grace = 30 * time.Second

// Visit opens a page of the site, by its path or, for a site that runs, its address, in a browser
// context of its own. Whatever goes wrong costs that page its record and nothing else: see Unread.
func (b *Browser) Visit(address string, screen Screen) *pageload.Record {
	b.alone.RLock()
	defer b.alone.RUnlock()
	return b.visitThen(address, screen, nil)
}

// A Visiting is a way to open a page.
type Visiting = func(address string, screen Screen) *pageload.Record

// VisitAlone is Visit, while no other page is open.
func (b *Browser) VisitAlone(address string, screen Screen) *pageload.Record {
	b.alone.Lock()
	defer b.alone.Unlock()
	return b.visitThen(address, screen, nil)
}

// VisitTraced is Visit, and says of what scripts take out of the document which script does. What it measures is not
// what a visitor has: the scripts of the page go through ours.
func (b *Browser) VisitTraced(address string, screen Screen) *pageload.Record {
	b.alone.RLock()
	defer b.alone.RUnlock()
	return b.visitThen(address, screen, nil, tracing)
}

// visitThen is Visit, with something that is done on the page at the end, and scripts that are put in before its own.
func (b *Browser) visitThen(address string, screen Screen, then func(context.Context) error,
	scripts ...string) *pageload.Record {
	r := &pageload.Record{
		Format:   pageload.Format,
		Screen:   screen.String(),
		Elements: []pageload.DOMElement{},
		Requests: []pageload.Request{},
	}
	if b.local != nil {
		r.Path = address
		address = b.local.base + corepage.URLPath(address)
	}
	r.URL = address
	tab, own, close, err := b.tab()
	if err != nil {
		r.Unread = because(err)
		return r
	}
	defer close()
	most := b.Most + b.Wait + grace
	if then != nil {
		most += patience
	}
	if b.Steps {
		most += stepped
	}
	ctx, cancel := context.WithTimeout(tab, most)
	defer cancel()
	done := make(chan error, 1)
	go func() {
		err := b.visit(ctx, own, r, address, screen, scripts)
		if err == nil && then != nil {
			err = then(ctx)
		}
		if err == nil && b.Popups {
			err = b.tryPopups(ctx, r)
		}
		done <- err
	}()
	select {
	case err = <-done:
	case <-ctx.Done():
		err = ctx.Err()
	}
	if err != nil {
		out := *r
		out.Unread = because(err)
		return &pageload.Record{
			Format: out.Format, Path: out.Path, URL: out.URL, Screen: out.Screen, Unread: out.Unread,
			Elements: []pageload.DOMElement{},
			Requests: []pageload.Request{},
		}
	}
	return r
}

// tab opens a tab in a browser context of its own: no cookies, storage or cache of another.
func (b *Browser) tab() (ctx context.Context, own cdp.BrowserContextID, close func(), err error) {
	ctx, cancel := context.WithTimeout(b.ctx, grace)
	defer cancel()
	made, err := chromedp.CallBrowser(ctx, target.CreateBrowserContext,
		target.CreateBrowserContextParams{DisposeOnDetach: new(true)})
	if err != nil {
		return nil, "", nil, err
	}
	own = made.BrowserContextID
	dispose := func() {
		ctx, cancel := context.WithTimeout(b.ctx, 5*time.Second)
		defer cancel()
		_, _ = chromedp.CallBrowser(ctx, target.DisposeBrowserContext,
			target.DisposeBrowserContextParams{BrowserContextID: own})
	}
	blank, err := chromedp.CallBrowser(ctx, target.CreateTarget,
		target.CreateTargetParams{URL: "about:blank", BrowserContextID: own, NewWindow: new(true)})
	if err != nil {
		dispose()
		return nil, "", nil, err
	}
	tab, stop := chromedp.NewContext(b.ctx, chromedp.WithTargetID(blank.TargetID))
	return tab, own, func() { stop(); dispose() }, nil
}

// because says why there is no record.
func because(err error) string {
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		return "the page did not come to rest in time"
	case errors.Is(err, context.Canceled):
		return "the visit was broken off, or the browser went"
	}
	return strings.TrimPrefix(err.Error(), "page load error ")
}

// visit opens the page, waits until it is quiet, and reads it.
func (b *Browser) visit(ctx context.Context, own cdp.BrowserContextID, r *pageload.Record, address string,
	screen Screen, scripts []string) error {
	w := newWatch(r, b.third)
	if w.holds = b.holds(); w.holds {
		w.base = b.local.base
	}
	defer w.close()
	b.watches.Store(own, w)
	defer b.watches.Delete(own)
	err := chromedp.Listen(ctx, func(ev any) {
		w.hear(ev)
		if _, asks := ev.(*page.EventJavascriptDialogOpening); asks { // an alert stops the page until somebody answers
			go func() { _ = do(ctx, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{}) }()
		}
	})
	if err != nil {
		return err
	}
	if err := w.hearChildren(ctx); err != nil {
		return err
	}
	if b.Steps {
		scripts = append(scripts, guarding)
	}
	if err := b.prepare(ctx, w, screen, append([]string{observing}, scripts...)); err != nil {
		return err
	}
	if err := b.introduce(ctx, address); err != nil {
		return err
	}
	if err := navigate(ctx, address); err != nil {
		return err
	}
	b.rest(ctx, r, w)
	if err := b.act(ctx, w); err != nil {
		return err
	}
	if b.Wait > 0 {
		select {
		case <-time.After(b.Wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	if b.Steps {
		if err := b.walk(ctx, r, w, screen); err != nil {
			return err
		}
	}
	w.finish()
	if err := read(ctx, r, w); err != nil {
		return err
	}
	r.Stored = slices.DeleteFunc(r.Stored, func(s pageload.Stored) bool { return s.Kind == "cookie" && b.brought(&s) })
	return nil
}

// navigate begins to load an address.
func navigate(ctx context.Context, address string) error {
	to, err := chromedp.Call(ctx, page.Navigate, page.NavigateParams{URL: address})
	if err == nil && to.ErrorText != "" {
		err = errors.New(to.ErrorText)
	}
	return err
}

// do has the browser do something with the page, of which nothing comes back.
func do[P, R any](ctx context.Context, command cdp.Command[P, R], params P) error {
	_, err := chromedp.Call(ctx, command, params)
	return err
}

// evaluate is what an expression comes to on the page, or the promise that it is.
func evaluate[T any](ctx context.Context, expression string) (T, error) {
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// run has the page run a script, and waits for the promise that it may be.
func run(ctx context.Context, script string) error {
	_, err := evaluate[chromedp.Void](ctx, script)
	return err
}

// resize gives the page another screen.
func resize(ctx context.Context, width, height int) error {
	return do(ctx, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
		Width: int64(width), Height: int64(height), DeviceScaleFactor: 1, Mobile: width < 600,
	})
}

// emulate has the page shown as in a medium, with a preference of the visitor.
func emulate(ctx context.Context, medium, preference, value string) error {
	p := emulation.SetEmulatedMediaParams{Media: medium}
	if preference != "" {
		p.Features = []*emulation.MediaFeature{{Name: preference, Value: value}}
	}
	return do(ctx, emulation.SetEmulatedMedia, p)
}

// prepare has the browser report what is listened for, on the screen, with scripts that run before the page's own.
func (b *Browser) prepare(ctx context.Context, w *watch, screen Screen, scripts []string) error {
	tab := chromedp.FromContext(ctx).Target
	for _, c := range []struct {
		command string
		params  any
	}{
		{target.CommandSetAutoAttach, handingOver}, {network.CommandEnable, nil}, {page.CommandEnable, nil},
		{runtime.CommandEnable, nil}, {cdplog.CommandEnable, nil}, {audits.CommandEnable, nil},
		{dom.CommandEnable, nil}, {css.CommandEnable, nil}, {profiler.CommandEnable, nil},
		{dom.CommandSetNodeStackTracesEnabled, dom.SetNodeStackTracesEnabledParams{Enable: true}},
		{css.CommandStartRuleUsageTracking, nil},
		{profiler.CommandStartPreciseCoverage,
			profiler.StartPreciseCoverageParams{CallCount: new(true), Detailed: new(true)}},
	} {
		if err := tab.Call(ctx, c.command, c.params, nil); err != nil {
			return err
		}
	}
	if err := resize(ctx, screen.Width, screen.Height); err != nil {
		return err
	}
	for _, script := range scripts {
		source := page.AddScriptToEvaluateOnNewDocumentParams{Source: script}
		if err := do(ctx, page.AddScriptToEvaluateOnNewDocument, source); err != nil {
			return err
		}
	}
	if w.holds {
		if err := w.holdUp(ctx); err != nil {
			return err
		}
	}
	if b.Dark {
		return emulate(ctx, "", "prefers-color-scheme", "dark")
	}
	return nil
}

// rest waits until the page is at rest: nothing is requested, something is drawn, and no script runs.
func (b *Browser) rest(ctx context.Context, r *pageload.Record, w *watch) {
	begun := time.Now()
	quiet := w.quiet(ctx, b.Quiet, b.Most)
	idle, cancel := context.WithTimeout(ctx, max(b.Most-time.Since(begun), b.Quiet))
	defer cancel()
	if quiet && run(idle, resting) == nil {
		quiet = w.quiet(ctx, b.Quiet/4, b.Most) // what came of it
	} else if quiet {
		quiet = idle.Err() == nil // else a script is busy; a page that goes on to another is read there
	}
	if !quiet {
		r.Cut = fmt.Sprintf("it had not come to rest after %s", b.Most)
	}
}

// act does what the user asked to be done on the page.
func (b *Browser) act(ctx context.Context, w *watch) error {
	if b.Scroll {
		if err := run(ctx, scrolling); err != nil {
			return err
		}
		w.again()
		w.quiet(ctx, b.Quiet, b.Most)
	}
	if b.Click == "" {
		return nil
	}
	there, err := touch(ctx, b.Click, 0, true)
	if err != nil {
		return err
	}
	if !there {
		return errors.New("there is nothing to click: " + b.Click)
	}
	w.again()
	w.quiet(ctx, b.Quiet, b.Most)
	return nil
}

// third reports whether an address, scheme and host, is of somebody who is not called.
func (b *Browser) third(address string) bool {
	at := hostAndPort(address)
	host, _, _ := net.SplitHostPort(at)
	if b.Network || slices.ContainsFunc(b.Hosts, func(h Host) bool { return h.Name == host || h.Name == at }) {
		return false
	}
	if b.local != nil {
		return at != b.local.at && !strings.HasPrefix(b.local.mapped, host+":")
	}
	return !slices.ContainsFunc(b.Options.Visit, func(v string) bool { return hostAndPort(v) == at })
}
