package browser

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/cdproto/domsnapshot"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/pageload"
)

// What a visitor may do on a page, done alike on each visit, to see what the page needs for it: see Options.Steps.

// Most of what is clicked, hovered over and reached by a key on one page.
const mostClicks, mostHovers, mostTabs = 30, 12, 10

// main are the properties that are looked at after every step; all are after loading and clicks.
var main = regexp.MustCompile(`^(display|visibility|opacity|position|color|cursor|content|transform|z-index|float|clear|filter|fill|stroke|` +
	`overflow-[xy]|(top|left|width|height)|margin-top|margin-left|padding-top|padding-left|border-top-(width|color|style)|outline-(width|color|style)|` +
	`background-(color|image)|box-shadow|font-(family|size|weight|style)|line-height|text-(align|decoration-line|transform|shadow)|` +
	`list-style-(type|image)|pointer-events|clip-path|flex-direction|grid-template-columns|animation-name|white-space-collapse)$`)

const (
	clickable = `button, summary, label, select, [role=button], [role=tab], [role=menuitem], [onclick], input:not([type=hidden], [type=file]), ` +
		`a:not([href]), a[href^="#"], a[href^="javascript:"], [aria-expanded], [aria-controls], [tabindex]`
	hoverable = `a, button, li, summary, [title], [aria-haspopup], tr, img`
)

// walk does all steps, and looks after each.
func (b *Browser) walk(ctx context.Context, r *pageload.Record, w *watch, screen Screen) error {
	w.holding.Store(true)
	first := func(do, then func() error) func() error {
		return func() error {
			if err := do(); err != nil {
				return err
			}
			return then()
		}
	}
	usual := first(func() error { return resize(ctx, screen.Width, screen.Height) },
		func() error { return emulate(ctx, "", "", "") })
	for _, s := range []struct {
		after string
		do    func() error
		whole bool // all properties, and the pixels
	}{
		{"loading", usual, true},
		{"scrolling", func() error { return run(ctx, unfolding) }, false},
		{"a look on a phone", first(func() error { return run(ctx, `scrollTo(0, 0)`) },
			func() error { return resize(ctx, 390, 844) }), false},
		{"a look on a wide screen", func() error { return resize(ctx, 1920, 1080) }, false},
		{"a look in the dark", first(usual, func() error {
			return emulate(ctx, "", "prefers-color-scheme", "dark")
		}), false},
		{"a look with less motion", func() error {
			return emulate(ctx, "", "prefers-reduced-motion", "reduce")
		}, false},
		{"a look in print", func() error { return emulate(ctx, "print", "", "") }, false},
		{"hovering", first(usual, func() error { return each(ctx, mostHovers, hoverable, false) }), false},
		{"keys", func() error { return keys(ctx) }, false},
		{"clicks", func() error { return each(ctx, mostClicks, clickable, true) }, true},
	} {
		w.again()
		if err := s.do(); err != nil {
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
	seen, err := evaluate[struct {
		Running    int
		Properties []string
	}](ctx, standing)
	if err != nil {
		return err
	}
	if err := run(ctx, drawn); err != nil {
		return err
	}
	s.Running = seen.Running
	if !whole {
		seen.Properties = slices.DeleteFunc(seen.Properties, func(p string) bool { return !main.MatchString(p) })
	}
	snapshot, err := chromedp.Call(ctx, domsnapshot.CaptureSnapshot,
		domsnapshot.CaptureSnapshotParams{ComputedStyles: seen.Properties})
	if err != nil {
		return err
	}
	for _, d := range snapshot.Documents {
		s.Boxes = append(s.Boxes, boxes(d, snapshot.Strings)...)
	}
	if whole {
		s.Picture, err = settled(ctx)
	}
	return err
}

// settled is the digest of the screen's pixels once two pictures of it are alike: what a browser itself shows of a
// form's field fades in. A screen that does not settle has that of its last picture.
func settled(ctx context.Context) (sum uint64, err error) {
	for range 10 {
		shot, err := chromedp.Call(ctx, page.CaptureScreenshot,
			page.CaptureScreenshotParams{Format: page.CaptureScreenshotFormatPng})
		if err != nil {
			return 0, err
		}
		was := sum
		if sum = xxh3.Hash(shot.Data); sum == was {
			break
		}
		select {
		case <-time.After(150 * time.Millisecond):
		case <-ctx.Done():
			return 0, ctx.Err()
		}
	}
	return sum, nil
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
func each(ctx context.Context, most int, selector string, click bool) error {
	for i := range most {
		if there, err := touch(ctx, selector, i, click); err != nil || !there {
			return err
		}
	}
	return nil
}

// touch goes over an element that can be seen, the one of a number that a selector matches, with the mouse, and may
// click on it. It reports whether there is one.
func touch(ctx context.Context, selector string, i int, click bool) (there bool, err error) {
	at, err := evaluate[[]float64](ctx, called(placeOf, selector, i))
	if err != nil || len(at) != 2 {
		return false, err
	}
	mouse := input.DispatchMouseEventParams{Type: chromedp.MouseMoved, X: at[0], Y: at[1]}
	err = do(ctx, input.DispatchMouseEvent, mouse)
	mouse.Button, mouse.ClickCount = input.MouseButtonLeft, 1
	for _, mouse.Type = range []input.DispatchMouseEventType{chromedp.MousePressed, chromedp.MouseReleased} {
		if click && err == nil {
			err = do(ctx, input.DispatchMouseEvent, mouse)
		}
	}
	return true, err
}

// keys goes from one element that takes keys to the next, types, and leaves.
func keys(ctx context.Context) error {
	return chromedp.Do(ctx, chromedp.KeyEvent(strings.Repeat(kb.Tab+"a"+kb.ArrowDown, mostTabs)+kb.Escape))
}

// drawn waits for what a page does once it is drawn.
const drawn = `new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))`

// stepped is how much longer a visit with steps may take.
const stepped = 2 * time.Minute
