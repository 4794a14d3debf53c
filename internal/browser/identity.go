package browser

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/fetch"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/pageload"
)

// introduce tells a site that runs who asks: its cookies are put into the browser, and the fields of
// --header and --user are added to requests for the origin that is visited, and to no others.
func (b *Browser) introduce(ctx context.Context, address string) error {
	if b.local != nil || len(b.Header) == 0 && len(b.Cookies) == 0 {
		return nil
	}
	err := chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		for _, c := range b.Cookies {
			if err := kept(&c.Cookie, c.Host).Do(ctx); err != nil {
				return err
			}
		}
		return nil
	}))
	u, perr := url.Parse(address)
	if err != nil || perr != nil || len(b.Header) == 0 {
		return err
	}
	chromedp.ListenTarget(ctx, func(ev any) {
		if e, ok := ev.(*fetch.EventRequestPaused); ok {
			go func() {
				_ = chromedp.Run(ctx, fetch.ContinueRequest(e.RequestID).WithHeaders(b.with(e.Request.Headers)))
			}()
		}
	})
	return chromedp.Run(ctx,
		fetch.Enable().WithPatterns(
			[]*fetch.RequestPattern{
				{URLPattern: escaped(u.Scheme+"://"+u.Host) + "/*", RequestStage: fetch.RequestStageRequest}}))
}

// escaped is a text in a pattern of the DevTools protocol, where * and ? stand for others.
func escaped(text string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`).Replace(text)
}

// kept puts a cookie into the browser.
func kept(c *http.Cookie, host string) *network.SetCookieParams {
	p := network.SetCookie(c.Name, c.Value).WithPath(c.Path).WithSecure(c.Secure).WithHTTPOnly(c.HttpOnly)
	if c.Domain != "" {
		p = p.WithDomain(c.Domain)
	} else { // of one host alone
		scheme := "http://"
		if c.Secure {
			scheme = "https://"
		}
		p = p.WithURL(scheme + host + "/")
	}
	if !c.Expires.IsZero() {
		at := cdp.TimeSinceEpoch(c.Expires)
		p = p.WithExpires(&at)
	}
	return p
}

// with are the fields of a request with those of the user in place of those of the same name.
func (b *Browser) with(of network.Headers) (out []*fetch.HeaderEntry) {
	for name, v := range of {
		text, ok := v.(string)
		if _, ours := b.Header[http.CanonicalHeaderKey(name)]; ok && !ours {
			out = append(out, &fetch.HeaderEntry{Name: name, Value: text})
		}
	}
	for name, values := range b.Header {
		for _, v := range values {
			out = append(out, &fetch.HeaderEntry{Name: name, Value: v})
		}
	}
	slices.SortFunc(out, func(a, b *fetch.HeaderEntry) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// brought reports whether a cookie is one that the user gave: the visit did not leave it.
func (b *Browser) brought(s *pageload.Stored) bool {
	for _, c := range b.Cookies {
		if c.Name == s.Name && c.Host == s.Host {
			return true
		}
	}
	return false
}
