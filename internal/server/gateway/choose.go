package gateway

import (
	"crypto/rand"
	"math/big"
	"net/http"
	"strconv"
	"strings"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
)

// For whom and for what a gate is tried: the pages of a query, visitors with a header or a cookie, a share of all.

// Chosen says what is gated; nothing of it is everything.
type Chosen struct {
	Pages   pagequery.Expr // on path and file; nil for all
	Headers []Named        // any of them, or of the cookies, or the share, lets a visitor in
	Cookies []Named
	Share   int // percent of visitors; 0 where no share is meant
}

// Named is a header or a cookie, with its value; "" for any.
type Named struct{ Name, Value string }

// shareCookie holds a visitor's number, from 0 to 99: below the share the gate is in effect.
const shareCookie = "yg-share"

// visitor is whoever asks, by number.
type visitor struct {
	number int
	new    bool
	secure bool
}

// choose decides whether an exchange is left alone, as far as its request tells.
func (g *Gateway) choose(a *exchange) {
	of := &g.For
	if g.off.Load() {
		a.left = passedOff
		return
	}
	if of.Pages != nil {
		file, _ := a.fileOf()
		if !of.Pages.Eval(&page.Page{Path: page.Clean(a.in.URL.EscapedPath()), File: file}) {
			a.left = passedNotChosen
			return
		}
	}
	if len(of.Headers)+len(of.Cookies)+of.Share == 0 {
		return
	}
	for _, n := range of.Headers {
		if v := a.in.Header.Get(n.Name); v != "" && (n.Value == "" || v == n.Value) {
			return
		}
	}
	for _, n := range of.Cookies {
		if c, err := a.in.Cookie(n.Name); err == nil && (n.Value == "" || c.Value == n.Value) {
			return
		}
	}
	if of.Share > 0 {
		a.visitor = visitorOf(a.in)
		a.visitor.secure = a.in.TLS != nil || g.trusts(a.in.RemoteAddr) && a.in.Header.Get("X-Forwarded-Proto") == "https"
		if a.visitor.number < of.Share {
			return
		}
	}
	a.left = passedNotChosen
}

// visitorOf is the visitor of a request: by its cookie, or a new one.
func visitorOf(r *http.Request) *visitor {
	if c, err := r.Cookie(shareCookie); err == nil {
		if n, err := strconv.Atoi(c.Value); err == nil && n >= 0 && n < 100 {
			return &visitor{number: n}
		}
	}
	n, err := rand.Int(rand.Reader, big.NewInt(100))
	if err != nil {
		return &visitor{number: 99, new: true}
	}
	return &visitor{number: int(n.Int64()), new: true}
}

// keepApart has caches keep those apart for whom a page is gated or not, and the browser keep a new visitor's number.
func (g *Gateway) keepApart(a *exchange, resp *http.Response) {
	for _, n := range g.For.Headers {
		addVary(resp.Header, n.Name)
	}
	if len(g.For.Cookies)+g.For.Share > 0 {
		addVary(resp.Header, "Cookie")
	}
	if a.visitor != nil && a.visitor.new {
		c := http.Cookie{
			Name: shareCookie, Value: strconv.Itoa(a.visitor.number), Path: "/", MaxAge: 30 * 24 * 3600, HttpOnly: true,
			Secure: a.visitor.secure, SameSite: http.SameSiteLaxMode,
		}
		resp.Header.Add("Set-Cookie", c.String())
	}
}

// leaves reports whether the gate file leaves a page alone.
func (g *Gateway) leaves(a *exchange, resp *http.Response) bool {
	list := a.state.Project.Gate.File.Site.Pass
	if len(list) == 0 {
		return false
	}
	pg := g.known(a, resp).page()
	for i := range list {
		if list[i].Eval(&pg) {
			return true
		}
	}
	return false
}

// NamedOf reads a name and a value, or a name alone, with what stands between them.
func NamedOf(text, between string) Named {
	name, value, _ := strings.Cut(text, between)
	return Named{strings.TrimSpace(name), strings.TrimSpace(value)}
}
