package browser

import (
	"context"
	"encoding/json"
	"time"

	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/visualdiff"
)

// tallest is how many pixels of a page's height are looked at, and patience how long pictures may take.
const tallest, patience = 10 * visualdiff.Band, time.Minute

// still stops what moves: animations that end are at their end, others at their beginning; it waits
// for the fonts, and says how tall the page is and where its elements are. masks are selectors.
const still = `(async masks => {
  await document.fonts.ready;
  for (const a of document.getAnimations()) { try { a.finish(); } catch (e) { a.cancel(); } }
  for (const m of document.querySelectorAll("video, audio")) m.pause();
  await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
  const name = n => { let s = n.tagName.toLowerCase(); if (n.id) s += "#" + n.id; else if (typeof n.className === "string" && n.className.trim()) s += "." + n.className.trim().split(/\s+/)[0]; return s; };
  const box = n => { const r = n.getBoundingClientRect(); const x = Math.floor(r.left + scrollX), y = Math.floor(r.top + scrollY); return {x, y, width: Math.ceil(r.right + scrollX) - x, height: Math.ceil(r.bottom + scrollY) - y}; };
  const elements = [];
  for (const n of document.querySelectorAll("body, body *")) { if (elements.length >= 20000) break; const b = box(n); if (b.width > 0 && b.height > 0) elements.push({name: name(n), ...b}); }
  const hidden = [];
  for (const s of masks) for (const n of document.querySelectorAll(s)) hidden.push(box(n));
  const d = document.documentElement;
  let inner = 0; // what is scrolled within the page, by an element that is most of it
  for (const n of document.querySelectorAll("body, body *")) {
    const more = n.scrollHeight - n.clientHeight;
    if (more > inner && n.clientHeight * 2 >= innerHeight && n.clientWidth * 2 >= innerWidth && /auto|scroll/.test(getComputedStyle(n).overflowY)) inner = more;
  }
  return {width: innerWidth, height: Math.max(innerHeight, d.scrollHeight), inner, elements, hidden};
})`

// Look opens a page like Visit, and takes a picture of all of it. masks are selectors of what is not to
// be looked at; where they are is returned. The picture is nil where the page was not read.
func (b *Browser) Look(
	address string,
	screen Screen,
	masks []string,
) (r *pageload.Record, p *visualdiff.Shot, hidden []visualdiff.Box) {
	r = b.visitThen(address, screen, func(ctx context.Context) error {
		if b.Hover {
			if err := hoverAll(ctx); err != nil {
				return err
			}
		}
		var err error
		p, hidden, err = picture(ctx, screen, masks)
		return err
	})
	if r.Unread != "" {
		return r, nil, nil
	}
	return r, p, hidden
}

// hoverAll shows links and buttons as with the mouse over each of them, two hundred at most.
func hoverAll(ctx context.Context) error {
	return chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		root, err := dom.GetDocument().Do(ctx)
		if err != nil {
			return err
		}
		nodes, err := dom.QuerySelectorAll(root.NodeID, "a, button, summary, [role=button], input[type=submit]").Do(ctx)
		for _, n := range nodes[:min(len(nodes), 200)] {
			if err == nil {
				err = css.ForcePseudoState(n, []string{"hover"}).Do(ctx)
			}
		}
		return err
	}))
}

// VisitSeen is Visit, with a picture of the screen in the record.
func (b *Browser) VisitSeen(address string, screen Screen) (r *pageload.Record) {
	var shot []byte
	r = b.visitThen(address, screen, func(ctx context.Context) error {
		return chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) (err error) {
			shot, err = page.CaptureScreenshot().WithFormat(page.CaptureScreenshotFormatJpeg).WithQuality(60).Do(ctx)
			return err
		}))
	})
	r.Picture = shot
	return r
}

// picture takes a picture of the page as it stands. Where an element that is most of the screen scrolls in
// place of the page, the screen is made as tall as what it holds.
func picture(ctx context.Context, screen Screen, masks []string) (*visualdiff.Shot, []visualdiff.Box, error) {
	list, err := json.Marshal(append([]string{}, masks...))
	if err != nil {
		return nil, nil, err
	}
	var m struct {
		Width, Height, Inner int
		Elements             []visualdiff.ElementBox
		Hidden               []visualdiff.Box
	}
	measure := func() error {
		var raw json.RawMessage
		err := chromedp.Run(
			ctx,
			chromedp.Evaluate(
				still+"("+string(list)+")",
				&raw,
				awaiting,
			),
		)
		if err != nil {
			return err
		}
		return json.Unmarshal(raw, &m)
	}
	if err := measure(); err != nil {
		return nil, nil, err
	}
	if m.Inner > 0 {
		err := chromedp.Run(
			ctx,
			emulation.SetDeviceMetricsOverride(
				int64(screen.Width),
				int64(min(screen.Height+m.Inner, tallest)),
				1,
				screen.Width < 600,
			),
		)
		if err != nil {
			return nil, nil, err
		}
		if err := measure(); err != nil {
			return nil, nil, err
		}
	}
	out := &visualdiff.Shot{Elements: m.Elements, Unseen: max(m.Height-tallest, 0)}
	for y := 0; y < min(m.Height, tallest); y += visualdiff.Band {
		err = chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
			shot, err := page.CaptureScreenshot().WithFormat(page.CaptureScreenshotFormatPng).WithCaptureBeyondViewport(true).
				WithClip(&page.Viewport{Y: float64(y), Width: float64(m.Width), Height: float64(min(m.Height-y, visualdiff.Band)), Scale: 1}).Do(ctx)
			out.Bands = append(out.Bands, shot)
			return err
		}))
		if err != nil {
			return nil, nil, err
		}
	}
	return out, m.Hidden, nil
}
