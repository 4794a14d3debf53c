package gating

import (
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/weburl"
)

func fields(s string) []string { return strings.Fields(s) }

// own settles to which item each element of the page belongs: the first in the
// gate file that matches it.
func (e *editing) own() {
	e.owner = map[int]owned{}
	e.Present = make([]int, len(e.gate.File.Items))
	var refs []loaded
	for i, it := range e.gate.File.Items {
		for k := range len(it.Found) + len(it.Replaces) {
			replaced := k >= len(it.Found)
			var m *gatefile.Matcher
			if replaced {
				m = &it.Replaces[k-len(it.Found)]
			} else {
				m = &it.Found[k]
			}
			if m.URL != "" && refs == nil {
				refs = e.loads()
			}
			hits := e.matched(m, refs)
			if len(hits) > 0 {
				if e.Matched == nil {
					e.Matched = map[*gatefile.Matcher]int{}
				}
				e.Matched[m] += len(hits)
			}
			for _, at := range hits {
				if _, taken := e.owner[at]; !taken {
					e.owner[at] = owned{i, replaced}
					if !replaced {
						e.Present[i]++
					}
				}
			}
		}
	}
}

// findAll settles what is found in the source, and reports what should be there
// and is not.
func (e *editing) findAll() {
	e.own()
	for i := range e.Verdicts {
		v := &e.Verdicts[i]
		if !v.In || !v.Item.FoundOnly() || e.Present[i] > 0 {
			continue
		}
		switch v.Reason {
		case verdict.Needed:
			e.nothingToPut(v, fmt.Sprintf("item %q needs %q, which is found parts alone, and the page's source has none of them", v.By.Name, v.Item.Name))
		case verdict.PerPage:
			e.nothingToPut(v, fmt.Sprintf("item %q is put in, but it is found parts alone, and the page's source has none of them", v.Item.Name))
		}
	}
	e.neededButAbsent()
}

// neededButAbsent reports needs that are in by their own pages and have nothing
// to put where the source lacks them.
func (e *editing) neededButAbsent() {
	for i := range e.Verdicts {
		if !e.Verdicts[i].In {
			continue
		}
		it := e.Verdicts[i].Item
		for _, need := range it.Needs {
			for n := range e.Verdicts {
				v := &e.Verdicts[n]
				if v.Item.Name != need.Value || !v.In || v.Reason != verdict.Pages || !v.Item.FoundOnly() || e.Present[n] > 0 {
					continue
				}
				e.problem(problem.Problem{Severity: problem.Error, Pos: need.Pos,
					Message: fmt.Sprintf("item %q needs %q, which is found parts alone, and the page's source has none of them", it.Name, v.Item.Name),
					Remedy:  "give " + need.Value + " a script or code of its own, or keep " + it.Name + " out of those pages"})
			}
		}
	}
}

func (e *editing) nothingToPut(v *verdict.Verdict, message string) {
	e.problem(problem.Problem{Severity: problem.Error, Pos: v.Rule, Message: message,
		Remedy: "give " + v.Item.Name + " a script or code of its own, or take this line out"})
}

// matched returns the offsets of the elements that a matcher matches.
func (e *editing) matched(m *gatefile.Matcher, refs []loaded) (out []int) {
	switch {
	case m.Selector != nil:
		out = e.find(m.Selector)
		if inside := m.Selector.MatchesIn(e.Scan); len(inside) > 0 {
			out = append(slices.Clone(out), inside...)
			slices.Sort(out)
		}
		return out
	case m.Text != nil:
		for _, el := range e.Scan.Elements {
			if (el.Tag == markup.TagScript || el.Tag == markup.TagStyle) && el.Inside == markup.InPage && el.ContentEnd > el.TagEnd {
				if m.Text.MatchString(e.Source.String(el.TagEnd, el.ContentEnd)) {
					out = append(out, el.Start)
				}
			}
		}
	default:
		glob, query := splitQuery(m.URL)
		for _, l := range refs {
			if MatchURL(glob, l.url) && (query == "" || doublestar.MatchUnvalidated(query, l.query)) {
				out = append(out, l.at)
			}
		}
	}
	return out
}

// A loaded URL is that of one loading element, resolved, without query and
// fragment: the path within the site for its own.
type loaded struct {
	at    int
	url   string
	query string
}

// splitQuery takes the query off the glob of a url matcher: what follows its "?".
func splitQuery(glob string) (url, query string) {
	url, query, _ = strings.Cut(glob, "?")
	return url, query
}

// loads lists the URLs that the page loads.
func (e *editing) loads() []loaded {
	href, from := markup.BaseHref(e.Source, e.Scan)
	bases := e.gate.Site.Bases(e.Page.Path, href, from)
	out := make([]loaded, 0, len(e.Scan.Elements))
	add := func(at int, raw string) {
		if r, ok := bases.At(at).Resolve(raw); ok && !r.Data {
			_, query, _ := strings.Cut(r.URL, "?")
			out = append(out, loaded{at, e.gate.matchForm(r), query})
		}
	}
	for _, el := range e.Scan.Elements {
		if raw, ok := LoadURL(e.Source, el); ok {
			add(el.Start, raw)
		}
	}
	for _, at := range append(slices.Clone(e.matches(e.look.number[urlTags])), e.look.selectors[e.look.number[urlTags]].MatchesIn(e.Scan)...) {
		if raw, ok := e.Source.Attr(at, "src"); ok {
			add(at, raw)
		}
	}
	return out
}

func (g *Gate) matchForm(r weburl.Ref) string {
	if r.Own {
		return r.Path
	}
	return r.WithoutQuery()
}

// LoadURL returns the URL that an element loads, as written; ok is false for
// one that loads nothing.
func LoadURL(src *markup.Source, el markup.Element) (string, bool) {
	switch el.Tag {
	case markup.TagScript, markup.TagIframe:
		return src.Attr(el.Start, "src")
	case markup.TagLink:
		if href, ok := src.Attr(el.Start, "href"); ok && markup.LinkLoads(src.Text, el.Start) {
			return href, true
		}
	}
	return "", false
}

// MatchURL compares a glob with a resolved URL. A glob that begins with "/" is
// for the site's own URLs; one without a scheme leaves the scheme open.
func MatchURL(glob, ref string) bool {
	own := strings.HasPrefix(ref, "/")
	if below, ok := strings.CutSuffix(glob, "/**"); ok && own && strings.HasPrefix(glob, "/") && !strings.ContainsAny(below, `*?[{\`) {
		return strings.HasPrefix(ref, below) && (len(ref) == len(below) || ref[len(below)] == '/') // the usual kind, quickly
	}
	if strings.HasPrefix(glob, "/") && !strings.HasPrefix(glob, "//") {
		return own && doublestar.MatchUnvalidated(glob, ref)
	}
	if own {
		return doublestar.MatchUnvalidated(glob, strings.TrimPrefix(ref, "/")) && strings.HasPrefix(glob, "**")
	}
	if !strings.Contains(glob, "://") {
		if _, rest, ok := strings.Cut(ref, "://"); ok {
			ref = rest
		}
		glob = strings.TrimPrefix(glob, "//")
	}
	return doublestar.MatchUnvalidated(glob, ref)
}
