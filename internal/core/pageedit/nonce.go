package pageedit

import (
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"html"
	"net/url"
	"slices"
	"strings"

	"yellowgate/internal/core/csp"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

// Where the page has a Content Security Policy, what items put there must be let in by it: by a
// nonce that the page's own scripts carry, or by the policy itself. What it stops is told.

// A guard is what stands between a page's policies and what items write.
type guard struct {
	policies []*csp.Policy
	nonces   []string // of the page's own scripts and styles
	here     *url.URL // the page's address
	base     weburl.Base
}

// mostPolicies and mostNonces are how many of each count: no page has so many.
const mostPolicies, mostNonces = 8, 8

// guardOf reads the policies of a page; nil where there is none.
func (pl *planner) guardOf() *guard {
	if pl.guarded {
		return pl.guard
	}
	pl.guarded = true
	g := &guard{}
	for _, text := range pl.Page.Answer.Policies() {
		g.policies = append(g.policies, csp.Parse(text))
	}
	for i := range pl.Scan.Elements {
		e := &pl.Scan.Elements[i]
		if e.Tag != markup.TagMeta || e.Area != markup.Head || e.Inside != markup.InPage {
			continue
		}
		if v, _ := pl.Source.Attr(e.Start, "http-equiv"); strings.EqualFold(strings.TrimSpace(v), "content-security-policy") {
			content, _ := pl.Source.Attr(e.Start, "content")
			g.policies = append(g.policies, csp.Parse(content))
		}
	}
	if len(g.policies) == 0 || len(g.policies) > mostPolicies {
		return nil
	}
	for i := range pl.Scan.Elements {
		e := &pl.Scan.Elements[i]
		if e.Tag != markup.TagScript && e.Tag != markup.TagStyle && e.Tag != markup.TagLink ||
			e.Inside != markup.InPage {
			continue
		}
		if n, _ := pl.Source.Attr(e.Start, "nonce"); n != "" && len(g.nonces) < mostNonces &&
			!slices.Contains(g.nonces, n) {
			g.nonces = append(g.nonces, n)
		}
	}
	href, _ := markup.BaseHref(pl.Source, pl.Scan)
	g.base = pl.gate.Site.Page(pl.Page.Path, href)
	g.here = pl.gate.Site.Page(pl.Page.Path, "").Address(pl.Page.Path)
	pl.guard = g
	return g
}

// a candidate is a tag of an item's text that a policy decides about.
type candidate struct {
	kind      string
	name      int    // where its tag's name ends
	url       string // of what it loads; "" for an inline text
	text      string
	integrity string
	nonce     string // that it has already
}

// candidates lists what of a text a policy decides about, and a nonce could let in.
func candidates(text string) (out []candidate) {
	src := []byte(text)
	attr := func(at int, name string) string {
		v, _ := markup.AttrValue(src, at, name)
		return strings.TrimSpace(v)
	}
	open := -1 // the candidate whose text comes next
	markup.Pieces(src, func(p markup.Piece) bool {
		switch p.Kind {
		case markup.PieceStartTag:
			open = -1
			name := markup.TagName(src, p.Start)
			c := candidate{name: p.Start + 1 + len(name), integrity: attr(p.Start, "integrity")}
			switch {
			case name == "script" && markup.ScriptType(src, p.Start) != markup.DataBlock:
				c.kind, c.url = csp.Script, attr(p.Start, "src")
			case name == "style":
				c.kind = csp.Style
			case name == "link" && markup.HasRel(attr(p.Start, "rel"), "stylesheet"):
				c.kind, c.url = csp.Style, attr(p.Start, "href")
			default:
				return true
			}
			c.nonce = attr(p.Start, "nonce")
			out = append(out, c)
			open = len(out) - 1
		case markup.PieceScript, markup.PieceStyle, markup.PieceRaw:
			if open >= 0 {
				out[open].text = text[p.Start:p.End]
			}
		}
		return true
	})
	return out
}

// stops names the directive of a policy that stops a candidate with a nonce; "" for none.
func (g *guard) stops(c *candidate, load *url.URL, nonce string) string {
	for _, p := range g.policies {
		by := ""
		if load != nil {
			by = p.Stops(
				csp.Request{Kind: c.kind, URL: load, Page: g.here, Nonce: nonce, Integrity: c.integrity,
					Parsed: true})
		} else if c.text != "" {
			by = p.StopsText(c.kind, c.text, nonce)
		}
		if by != "" {
			return by
		}
	}
	return ""
}

// letIn gives what of an item's text the page's policy would stop a nonce that lets it in, and tells
// of what nothing lets in. whose names the item, for messages.
func (pl *planner) letIn(text, whose string, at problem.Position) string {
	g := pl.guardOf()
	if g == nil || !strings.Contains(text, "<") {
		return text
	}
	list := candidates(pl.fit(text))
	if len(list) > 0 {
		text = pl.fit(text)
	}
	for i := len(list) - 1; i >= 0; i-- {
		c := &list[i]
		var load *url.URL
		if c.url != "" {
			ref, ok := g.base.Resolve(c.url)
			if !ok || ref.Data {
				continue
			}
			if load, _ = url.Parse(ref.URL); ref.Own {
				load = g.base.Address(ref.Path)
			}
			if load == nil {
				continue
			}
		}
		by := g.stops(c, load, c.nonce)
		if by == "" {
			continue
		}
		k := slices.IndexFunc(g.nonces, func(n string) bool { return g.stops(c, load, n) == "" })
		if k >= 0 && c.nonce == "" {
			text = text[:c.name] + ` nonce="` + html.EscapeString(g.nonces[k]) + `"` + text[c.name:]
			continue
		}
		if pl.begun && c.nonce == "" {
			pl.hold(0) // a nonce may come
		}
		what, let := "inline code", "'sha256-"+digest(c.text)+"'"
		if load != nil {
			what, let = c.url, load.Scheme+"://"+load.Host
			if load.Host == g.here.Host {
				let = "'self'"
			}
		}
		pl.problem(
			problem.Problem{
				Severity: problem.Warning,
				Name:     problem.BlockedByPolicy,
				Pos:      at,
				Message:  fmt.Sprintf("%s: the page's policy stops it: %s does not allow %s", whose, by, what),
				Remedy: "it passes with " + let + " added to " + by + ", or where the page's own scripts carry a " +
					"nonce that the policy lets in",
			},
		)
	}
	return text
}

func digest(text string) string {
	sum := sha256.Sum256([]byte(text))
	return base64.StdEncoding.EncodeToString(sum[:])
}
