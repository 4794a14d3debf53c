package browser

import (
	"context"
	"strings"

	"github.com/chromedp/cdproto/fetch"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// While a visitor's steps are done, nothing is posted to others than the site itself, which is a folder: each request
// of the page, its frames and its workers is held up until it is decided. Of shared workers that cannot be done.

// holds reports whether somebody can be called to whom a step could post.
func (b *Browser) holds() bool { return b.Steps && b.local != nil && (b.Network || len(b.Hosts) > 0) }

// decide is what becomes of a request that is held up: a method of the protocol, and its parameters.
func (w *watch) decide(e *fetch.EventRequestPaused) (method string, params any) {
	if w.holding.Load() && !reads(e.Request.Method) && !strings.HasPrefix(e.Request.URL, w.base+"/") {
		return fetch.CommandFailRequest,
			fetch.FailRequestParams{RequestID: e.RequestID, ErrorReason: network.ErrorReasonBlockedByClient}
	}
	return fetch.CommandContinueRequest, fetch.ContinueRequestParams{RequestID: e.RequestID}
}

// reads reports whether a method changes nothing where it arrives (RFC 9110, section 9.2.1).
func reads(method string) bool { return method == "GET" || method == "HEAD" || method == "OPTIONS" }

// holdUp has the page's requests held up.
func (w *watch) holdUp(ctx context.Context) error {
	page := chromedp.FromContext(ctx).Target
	err := chromedp.Listen(ctx, func(ev any) {
		if e, held := ev.(*fetch.EventRequestPaused); held {
			method, params := w.decide(e)
			go func() { _ = page.Call(ctx, method, params, nil) }() // whoever hears must not wait
		}
	})
	if err != nil {
		return err
	}
	return do(ctx, fetch.Enable, fetch.EnableParams{})
}
