package browser

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/cdproto/domsnapshot"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/pageload"
)

// What a visitor may do on a page, done alike on each visit, to see what the page needs for it: see Options.Steps.

// guarding is put into each page before its own scripts: nothing that is done leads away or posts, and chance is the
// same each time.
const guarding = `(() => {
  let seed = 1; Math.random = () => (seed = seed * 16807 % 2147483647) / 2147483647;
  window.open = () => null; window.print = () => {};
  addEventListener("submit", e => e.preventDefault());
  addEventListener("click", e => {
    const a = e.composedPath().find(n => n.localName === "a" || n.localName === "area");
    const to = a && a.getAttribute("href");
    if (to && !/^\s*(#|javascript:)/i.test(to)) e.preventDefault();
  });
})();`

// Most of what is clicked, hovered over and reached by a key on one page.
const mostClicks, mostHovers, mostTabs = 30, 12, 10

// standing says what the page would look like anyhow in a moment: animations are at their end. It returns how many ran,
// and the names of all properties.
const standing = `(() => {
  const running = document.getAnimations();
  for (const a of running) { try { a.finish(); } catch (e) { try { a.cancel(); } catch (e) {} } }
  return {running: running.length, properties: [...getComputedStyle(document.documentElement)].filter(p => !p.startsWith("--"))};
})()`

// unfolding scrolls to the end, and has every picture loaded on the way.
const unfolding = `(async () => {
  for (const i of document.querySelectorAll("[loading=lazy]")) i.loading = "eager";
  for (let y = 0; y < document.documentElement.scrollHeight && y < 20000; y += innerHeight) { scrollTo(0, y); await new Promise(requestAnimationFrame); }
  await Promise.race([Promise.allSettled([...document.images].map(i => i.decode())), new Promise(done => setTimeout(done, 3000))]);
})()`

// main are the properties that are looked at after every step; all are after loading and clicks.
var main = regexp.MustCompile(`^(display|visibility|opacity|position|color|cursor|content|transform|z-index|float|clear|filter|fill|stroke|` +
	`overflow-[xy]|(top|left|width|height)|margin-top|margin-left|padding-top|padding-left|border-top-(width|color|style)|outline-(width|color|style)|` +
	`background-(color|image)|box-shadow|font-(family|size|weight|style)|line-height|text-(align|decoration-line|transform|shadow)|` +
	`list-style-(type|image)|pointer-events|clip-path|flex-direction|grid-template-columns|animation-name|white-space-collapse)$`)

// placeOf is where an element that a selector matches stands on the screen, as [x, y]; it is scrolled to.
const placeOf = `((selector, i) => {
  const can = [...document.querySelectorAll(selector)].filter(e => e.getClientRects().length > 0);
  if (i >= can.length) return null;
  can[i].scrollIntoView({block: "center", behavior: "instant"});
  const r = can[i].getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2];
})`

const (
	clickable = `button, summary, label, select, [role=button], [role=tab], [role=menuitem], [onclick], input:not([type=hidden], [type=file]), ` +
		`a:not([href]), a[href^="#"], a[href^="javascript:"], [aria-expanded], [aria-controls], [tabindex]`
	hoverable = `a, button, li, summary, [title], [aria-haspopup], tr, img`
)

// walk does all steps, and looks after each.
func (b *Browser) walk(ctx context.Context, r *pageload.Record, w *watch, screen Screen) error {
	size := func(width, height int) chromedp.Action {
		return emulation.SetDeviceMetricsOverride(int64(width), int64(height), 1, width < 600)
	}
	prefers := func(name, value string) chromedp.Action {
		return emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: name, Value: value}})
	}
	usual := chromedp.Tasks{size(screen.Width, screen.Height), emulation.SetEmulatedMedia()}
	for _, s := range []struct {
		after string
		do    chromedp.Action
		whole bool // all properties, and the pixels
	}{
		{"loading", usual, true},
		{"scrolling", awaited(unfolding), false},
		{"a look on a phone", chromedp.Tasks{chromedp.Evaluate(`scrollTo(0, 0)`, nil), size(390, 844)}, false},
		{"a look on a wide screen", size(1920, 1080), false},
		{"a look in the dark", chromedp.Tasks{usual, prefers("prefers-color-scheme", "dark")}, false},
		{"a look with less motion", prefers("prefers-reduced-motion", "reduce"), false},
		{"a look in print", emulation.SetEmulatedMedia().WithMedia("print"), false},
		{"hovering", chromedp.Tasks{usual, each(mostHovers, hoverable, false)}, false},
		{"keys", keys(), false},
		{"clicks", each(mostClicks, clickable, true), true},
	} {
		w.again()
		if err := chromedp.Run(ctx, s.do); err != nil {
			return err
		}
		w.quiet(ctx, b.Quiet/4, 2*time.Second)
		sight := pageload.Sight{After: s.after}
		if err := look(ctx, &sight, s.whole); err != nil {
			return err
		}
		r.Sights = append(r.Sights, sight)
		w.mu.Lock()
		left := r.Left()
		w.mu.Unlock()
		if left {
			return nil // what is seen now is another page
		}
	}
	return nil
}

// look looks at the page: at its boxes, and where it is to be whole, at its pixels.
func look(ctx context.Context, s *pageload.Sight, whole bool) error {
	var seen struct {
		Running    int
		Properties []string
	}
	if err := chromedp.Run(ctx, chromedp.Evaluate(standing, &seen), awaited(drawn)); err != nil {
		return err
	}
	s.Running = seen.Running
	if !whole {
		seen.Properties = slices.DeleteFunc(seen.Properties, func(p string) bool { return !main.MatchString(p) })
	}
	return chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		documents, texts, err := domsnapshot.CaptureSnapshot(seen.Properties).Do(ctx)
		if err != nil {
			return err
		}
		for _, d := range documents {
			s.Boxes = append(s.Boxes, boxes(d, texts)...)
		}
		if !whole {
			return nil
		}
		shot, err := page.CaptureScreenshot().WithFormat(page.CaptureScreenshotFormatPng).Do(ctx)
		s.Picture = xxh3.Hash(shot)
		return err
	}))
}

// boxes are those of a document, pseudo-elements and shadow trees among them, each with its element's name and a digest
// of its place, style and text.
func boxes(d *domsnapshot.DocumentSnapshot, texts []string) []pageload.Box {
	text := func(i int64) string {
		if i < 0 {
			return ""
		}
		return texts[i]
	}
	out := make([]pageload.Box, 0, len(d.Layout.NodeIndex))
	for i, node := range d.Layout.NodeIndex {
		name := strings.ToLower(text(int64(d.Nodes.NodeName[node])))
		for k := 0; k+1 < len(d.Nodes.Attributes[node]); k += 2 {
			switch value := text(d.Nodes.Attributes[node][k+1]); text(d.Nodes.Attributes[node][k]) {
			case "id":
				name += "#" + value
			case "class":
				name += "." + strings.Join(strings.Fields(value), ".")
			}
		}
		var h xxh3.Hasher
		for _, at := range d.Layout.Styles[i] {
			_, _ = h.WriteString(text(at) + ";")
		}
		fmt.Fprint(&h, d.Layout.Bounds[i], text(int64(d.Layout.Text[i])))
		out = append(out, pageload.Box{Of: name, Sum: h.Sum64()})
	}
	return out
}

// each goes over the elements that a selector matches with the mouse, and clicks on them.
func each(most int, selector string, click bool) chromedp.ActionFunc {
	return func(ctx context.Context) error {
		for i := range most {
			var at []float64
			err := chromedp.Evaluate(fmt.Sprintf("%s(%q, %d)", placeOf, selector, i), &at).Do(ctx)
			if err != nil || len(at) != 2 {
				return err
			}
			err = input.DispatchMouseEvent(input.MouseMoved, at[0], at[1]).Do(ctx)
			if err == nil && click {
				err = chromedp.Tasks{
					input.DispatchMouseEvent(input.MousePressed, at[0], at[1]).WithButton(input.Left).WithClickCount(1),
					input.DispatchMouseEvent(input.MouseReleased, at[0], at[1]).WithButton(input.Left).WithClickCount(1),
				}.Do(ctx)
			}
			if err != nil {
				return err
			}
		}
		return nil
	}
}

// keys goes from one element that takes keys to the next, types, and leaves.
func keys() chromedp.Action {
	tasks := chromedp.Tasks{}
	for range mostTabs {
		tasks = append(tasks, chromedp.KeyEvent(kb.Tab), chromedp.KeyEvent("a"), chromedp.KeyEvent(kb.ArrowDown))
	}
	return append(tasks, chromedp.KeyEvent(kb.Escape))
}

// drawn waits for what a page does once it is drawn.
const drawn = `new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))`

func awaited(expression string) chromedp.Action { return chromedp.Evaluate(expression, nil, awaiting) }

// awaiting has an expression wait for the promise that it is.
func awaiting(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }

// stepped is how much longer a visit with steps may take.
const stepped = 2 * time.Minute
