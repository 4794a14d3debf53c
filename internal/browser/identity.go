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
	for _, c := range b.Cookies {
		if err := do(ctx, network.SetCookie, kept(&c.Cookie, c.Host)); err != nil {
			return err
		}
	}
	u, err := url.Parse(address)
	if err != nil || len(b.Header) == 0 {
		return nil
	}
	err = chromedp.Listen(ctx, func(ev any) {
		if e, held := ev.(*fetch.EventRequestPaused); held {
			with := fetch.ContinueRequestParams{RequestID: e.RequestID, Headers: b.with(e.Request.Headers)}
			go func() { _ = do(ctx, fetch.ContinueRequest, with) }() // whoever hears must not wait
		}
	})
	if err != nil {
		return err
	}
	own := &fetch.RequestPattern{
		URLPattern: escaped(u.Scheme+"://"+u.Host) + "/*", RequestStage: fetch.RequestStageRequest,
	}
	return do(ctx, fetch.Enable, fetch.EnableParams{Patterns: []*fetch.RequestPattern{own}})
}

// escaped is a text in a pattern of the DevTools protocol, where * and ? stand for others.
func escaped(text string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`).Replace(text)
}

// kept is a cookie as the browser takes it.
func kept(c *http.Cookie, host string) network.SetCookieParams {
	p := network.SetCookieParams{
		Name: c.Name, Value: c.Value, Path: c.Path, Domain: c.Domain, Secure: &c.Secure, HTTPOnly: &c.HttpOnly,
	}
	if c.Domain == "" { // of one host alone
		scheme := "http://"
		if c.Secure {
			scheme = "https://"
		}
		p.URL = scheme + host + "/"
	}
	if !c.Expires.IsZero() {
		p.Expires = cdp.TimeSinceEpoch(c.Expires.Unix())
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
