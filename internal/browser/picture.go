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

// Look opens a page like Visit, and takes a picture of all of it. masks are selectors of what is not to
// be looked at; where they are is returned. The picture is nil where the page was not read.
func (b *Browser) Look(address string, screen Screen,
	masks []string) (r *pageload.Record, p *visualdiff.Shot, hidden []visualdiff.Box) {
	b.alone.RLock()
	defer b.alone.RUnlock()
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
	b.alone.RLock()
	defer b.alone.RUnlock()
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
	var err error
	var m struct {
		Width, Height, Inner int
		Elements             []visualdiff.ElementBox
		Hidden               []visualdiff.Box
	}
	measure := func() error {
		var raw json.RawMessage
		err := chromedp.Run(ctx, chromedp.Evaluate(called(still, append([]string{}, masks...)), &raw, awaiting))
		if err != nil {
			return err
		}
		return json.Unmarshal(raw, &m)
	}
	if err := measure(); err != nil {
		return nil, nil, err
	}
	if m.Inner > 0 {
		err := chromedp.Run(ctx,
			emulation.SetDeviceMetricsOverride(int64(screen.Width), int64(min(screen.Height+m.Inner, tallest)), 1,
				screen.Width < 600))
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
			shot, err := shoot(ctx, visualdiff.Box{Y: y, Width: m.Width, Height: min(m.Height-y, visualdiff.Band)})
			out.Bands = append(out.Bands, shot)
			return err
		}))
		if err != nil {
			return nil, nil, err
		}
	}
	if out.Scrolled, err = scrolledParts(ctx, masks); err != nil {
		return nil, nil, err
	}
	return out, m.Hidden, nil
}

// mostScrolled is how many parts of a box that scrolls are looked at, besides the first.
const mostScrolled = 12

// scrolledParts takes pictures of what boxes that scroll within the page show once they are scrolled.
func scrolledParts(ctx context.Context, masks []string) (parts []visualdiff.ScrolledPart, err error) {
	var boxes []struct {
		visualdiff.ElementBox
		Right, Down int
	}
	if err := chromedp.Run(ctx, chromedp.Evaluate(scrollers, &boxes)); err != nil {
		return nil, err
	}
	for i, b := range boxes {
		taken := 0
		for y := 0; y < b.Down+b.Height && taken < mostScrolled; y += b.Height {
			for x := 0; x < b.Right+b.Width && taken < mostScrolled; x += b.Width {
				x, y := min(x, b.Right), min(y, b.Down)
				if x == 0 && y == 0 {
					continue // it is in the picture of the page
				}
				taken++
				part := visualdiff.ScrolledPart{Of: b.ElementBox, X: x, Y: y}
				scroll := called(scrolled, i, x, y, append([]string{}, masks...))
				err := chromedp.Run(
					ctx,
					chromedp.Evaluate(scroll, &part.Hidden, awaiting),
					chromedp.ActionFunc(func(ctx context.Context) (err error) {
						part.Shot, err = shoot(ctx, b.Box)
						return err
					}),
				)
				if err != nil {
					return nil, err
				}
				parts = append(parts, part)
			}
		}
	}
	return parts, nil
}

// shoot takes a picture of a part of the page.
func shoot(ctx context.Context, of visualdiff.Box) ([]byte, error) {
	clip := &page.Viewport{
		X: float64(of.X), Y: float64(of.Y), Width: float64(of.Width), Height: float64(of.Height), Scale: 1,
	}
	shot := page.CaptureScreenshot().WithFormat(page.CaptureScreenshotFormatPng).WithCaptureBeyondViewport(true)
	return shot.WithClip(clip).Do(ctx)
}
