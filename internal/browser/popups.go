package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"yellowgate/internal/core/pageload"
)

// The popups of a page are tried at the end of a visit: does each open at its fragment, by its click and
// by itself, and does it close by the keyboard alone?

// within is how long a popup has to open or close.
const within = time.Second

const (
	// waysOf lists what opens the popups of a page.
	waysOf = `Array.from(document.querySelectorAll("dialog[data-yg-open][id]")).flatMap(d => { try { return JSON.parse(d.dataset.ygOpen).map(o => ({id: d.id, way: o[0], with: String(o[1] ?? "")})); } catch (e) { return []; } })`

	// alone is put into a page that is loaded anew to see one popup open by itself: nobody has seen it
	// yet, the others are away, and its own timer, and no other of the page, is soon over.
	alone = `(id => {
  for (const s of ["sessionStorage", "localStorage"]) { try { window[s].removeItem("yg:" + id); } catch (e) {} }
  addEventListener("DOMContentLoaded", () => document.querySelectorAll("dialog[data-yg-open]").forEach(d => { if (d.id !== id) d.remove(); }), {once: true});
  const real = window.setTimeout;
  window.setTimeout = function (f, ms, ...more) { return real.call(window, f, typeof f === "function" && /^\(\)=>show\(1\)$/.test(String(f).replace(/\s+/g, "")) ? Math.min(ms, 50) : ms, ...more); };
})`

	// bringing does what makes a popup open by itself, and says whether it could be done on this page.
	bringing = `((path, id, way) => {
  if (location.pathname + location.search !== path || !document.getElementById(id)) return false;
  const root = document.documentElement;
  if (way === "scroll") { if (root.scrollHeight <= innerHeight) return false; scrollTo(0, root.scrollHeight); dispatchEvent(new Event("scroll")); }
  if (way === "leaving") root.dispatchEvent(new MouseEvent("mouseleave", {clientY: -1}));
  return true;
})`

	// shutting closes what is open.
	shutting = `document.querySelectorAll("dialog[open]").forEach(d => d.close())`

	// opening does what opens a popup, and says whether it could be done on this page.
	opening = `((path, id, way, what) => {
  if (location.pathname + location.search !== path || !document.getElementById(id)) return false;
  if (way === "fragment") { history.replaceState(null, "", path); location.hash = "#" + what; return true; }
  try {
    const e = document.querySelector(what);
    addEventListener("click", e => e.preventDefault(), {once: true}); // the page stays, whatever is clicked
    if (e) e.click();
    return !!e;
  } catch (e) { return false; }
})`
)

// tryPopups opens and closes the popups of a page, and puts into the record what came of it. What
// cannot be tried, such as a click on something that the page does not have, is left out; and where third
// parties are called the page is not loaded again, for what opens by itself.
func (b *Browser) tryPopups(ctx context.Context, r *pageload.Record) error {
	ways, err := evaluate[[]struct{ ID, Way, With string }](ctx, waysOf)
	if err != nil {
		return err
	}
	path, err := evaluate[string](ctx, `location.pathname + location.search`)
	if err != nil {
		return err
	}
	for _, itself := range []bool{false, true} { // what is loaded again comes last
		for _, w := range ways {
			if somebody := w.Way == "fragment" || w.Way == "click"; somebody == itself || itself && b.Network {
				continue
			}
			if _, tried := b.tried.LoadOrStore([3]string{path, w.ID, w.Way}, true); itself && tried {
				continue // on another screen
			}
			var done bool
			var err error
			if itself {
				done, err = bring(ctx, path, w.ID, w.Way)
			} else {
				done, err = open(ctx, path, w.ID, w.Way, w.With)
			}
			if err != nil {
				return err
			}
			if !done {
				continue
			}
			p := pageload.Popup{ID: w.ID, Way: w.Way, With: w.With}
			if p.Opened = becomes(ctx, w.ID, true); p.Opened {
				p.Closed = closes(ctx, w.ID)
			}
			r.Popups = append(r.Popups, p)
			if ctx.Err() != nil {
				return ctx.Err()
			}
		}
	}
	return nil
}

// open shuts what is open, and does what somebody does to open a popup.
func open(ctx context.Context, path, id, way, with string) (done bool, err error) {
	if err := run(ctx, shutting); err != nil {
		return false, err
	}
	time.Sleep(60 * time.Millisecond) // until their close events are over
	return evaluate[bool](ctx, call(opening, path, id, way, with))
}

// bring loads the page again, with one popup alone, and does what makes that open by itself.
func bring(ctx context.Context, path, id, way string) (done bool, err error) {
	in, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	script, err := chromedp.Call(in, page.AddScriptToEvaluateOnNewDocument,
		page.AddScriptToEvaluateOnNewDocumentParams{Source: call(alone, id)})
	if err == nil {
		err = chromedp.Do(in, chromedp.Reload()) // until it has loaded
		_ = do(in, page.RemoveScriptToEvaluateOnNewDocument,
			page.RemoveScriptToEvaluateOnNewDocumentParams(script))
	}
	if err == nil {
		done, err = evaluate[bool](in, call(bringing, path, id, way))
	}
	if err != nil && ctx.Err() == nil {
		return false, nil // the page does not load again, and so nothing can be said
	}
	return done, err
}

// closes tries Escape, and then the button that closes.
func closes(ctx context.Context, id string) bool {
	press := func(key string) bool {
		return chromedp.Do(ctx, chromedp.KeyEvent(key)) == nil && becomes(ctx, id, false)
	}
	if press(kb.Escape) {
		return true
	}
	focus := call(
		`(id => { const e = document.getElementById(id)?.querySelector("[data-yg-close]"); if (e) e.focus(); return !!e && document.activeElement === e; })`,
		id)
	there, err := evaluate[bool](ctx, focus)
	return err == nil && there && press(kb.Enter)
}

// becomes waits until a dialog is open or shut, and stays so. A page that went away has none.
func becomes(ctx context.Context, id string, open bool) bool {
	is := func() bool {
		now, err := evaluate[bool](ctx, call(`(id => !!document.getElementById(id)?.open)`, id))
		return err == nil && now == open
	}
	for begun := time.Now(); time.Since(begun) < within && ctx.Err() == nil; time.Sleep(25 * time.Millisecond) {
		if is() {
			time.Sleep(80 * time.Millisecond)
			if is() {
				return true
			}
		}
	}
	return false
}

// call writes the call of a function with texts.
func call(function string, texts ...string) string {
	b, _ := json.Marshal(texts)
	return fmt.Sprintf("%s(...%s)", function, b)
}
