package browser

import (
	"context"
	"time"

	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
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
	document, err := chromedp.Call(ctx, dom.GetDocument, dom.GetDocumentParams{})
	if err != nil {
		return err
	}
	found, err := chromedp.Call(ctx, dom.QuerySelectorAll, dom.QuerySelectorAllParams{
		NodeID: document.Root.NodeID, Selector: "a, button, summary, [role=button], input[type=submit]",
	})
	for _, n := range found.NodeIDs[:min(len(found.NodeIDs), 200)] {
		if err == nil {
			err = do(ctx, css.ForcePseudoState,
				css.ForcePseudoStateParams{NodeID: n, ForcedPseudoClasses: []string{"hover"}})
		}
	}
	return err
}

// VisitSeen is Visit, with a picture of the screen in the record.
func (b *Browser) VisitSeen(address string, screen Screen) (r *pageload.Record) {
	b.alone.RLock()
	defer b.alone.RUnlock()
	var shot page.CaptureScreenshotResult
	r = b.visitThen(address, screen, func(ctx context.Context) (err error) {
		shot, err = chromedp.Call(ctx, page.CaptureScreenshot, page.CaptureScreenshotParams{
			Format: page.CaptureScreenshotFormatJpeg, Quality: new(int64(60)),
		})
		return err
	})
	r.Picture = shot.Data
	return r
}

// picture takes a picture of the page as it stands. Where an element that is most of the screen scrolls in
// place of the page, the screen is made as tall as what it holds.
func picture(ctx context.Context, screen Screen, masks []string) (*visualdiff.Shot, []visualdiff.Box, error) {
	type measures struct {
		Width, Height, Inner int
		Elements             []visualdiff.ElementBox
		Hidden               []visualdiff.Box
	}
	measure := called(still, append([]string{}, masks...))
	m, err := evaluate[measures](ctx, measure)
	if err == nil && m.Inner > 0 {
		err = resize(ctx, screen.Width, min(screen.Height+m.Inner, tallest))
		if err == nil {
			m, err = evaluate[measures](ctx, measure)
		}
	}
	if err != nil {
		return nil, nil, err
	}
	out := &visualdiff.Shot{Elements: m.Elements, Unseen: max(m.Height-tallest, 0)}
	for y := 0; y < min(m.Height, tallest); y += visualdiff.Band {
		shot, err := shoot(ctx, visualdiff.Box{Y: y, Width: m.Width, Height: min(m.Height-y, visualdiff.Band)})
		if err != nil {
			return nil, nil, err
		}
		out.Bands = append(out.Bands, shot)
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
	boxes, err := evaluate[[]struct {
		visualdiff.ElementBox
		Right, Down int
	}](ctx, scrollers)
	if err != nil {
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
				if part.Hidden, err = evaluate[[]visualdiff.Box](ctx, scroll); err != nil {
					return nil, err
				}
				if part.Shot, err = shoot(ctx, b.Box); err != nil {
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
	shot, err := chromedp.Call(ctx, page.CaptureScreenshot, page.CaptureScreenshotParams{
		Format: page.CaptureScreenshotFormatPng, CaptureBeyondViewport: new(true), Clip: clip,
	})
	return shot.Data, err
}
