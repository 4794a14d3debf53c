package gateway

import (
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"time"

	"yellowgate/internal/server/reload"
)

// Conditional requests (RFC 9110, 13). A gated page depends on what the origin sent and on the gate.
// So its entity tag is the origin's with that of the gate behind it, and its time that of the newer
// of the two. A tag of this gate goes to the origin as the origin's own; one of another gate does not
// go at all. Where a client asks by a tag or a time that is not of a gated page, and the origin says
// that nothing has changed, what it has may be a page that was kept before there was a gate: the
// origin is asked again, without a condition, and only if that is no page, nothing has changed.

// gateMark stands in an entity tag before what is the gateway's.
const gateMark = ".yg"

// gateTag is what stands for a gate in entity tags: 12 characters.
func gateTag(s *reload.Reading) string {
	sum := strings.TrimPrefix(s.Project.Digest, "sha256:")
	return sum[:min(12, len(sum))]
}

// tagged is the entity tag of a gated page, from the origin's.
func tagged(tag, gate, coding string) string {
	weak, opaque, ok := strings.Cut(tag, `"`)
	opaque, end := strings.CutSuffix(opaque, `"`)
	if !ok || !end {
		return tag // it is none
	}
	opaque += gateMark + gate
	if coding != identity {
		opaque += "." + coding
	}
	return weak + `"` + opaque + `"`
}

var entityTag = regexp.MustCompile(`(?:W/)?"[^"]*"`)

var ours = regexp.MustCompile(`^((?:W/)?")([^"]*)\.yg([0-9a-f]{12})(?:\.[a-z]+)?"$`)

// untagged takes an entity tag of a gated page apart; ok is false for any other.
func untagged(tag string) (origin, gate string, ok bool) {
	m := ours.FindStringSubmatch(tag)
	if m == nil {
		return "", "", false
	}
	return m[1] + m[2] + `"`, m[3], true
}

// conditions are those of a request.
type conditions struct {
	none    []string // of If-None-Match, as the client has them; "*" alone for that
	since   time.Time
	reads   bool              // GET or HEAD
	page    bool              // it may be a page
	part    bool              // a part is asked for
	foreign bool              // the origin is asked by a tag or a time that is of no gated page
	sent    map[string]string // tags that the origin is asked for -> as the client has them
}

func conditionsOf(r *http.Request) (c conditions) {
	for _, line := range r.Header["If-None-Match"] {
		if strings.TrimSpace(line) == "*" {
			c.none = []string{"*"}
			break
		}
		c.none = append(c.none, entityTag.FindAllString(line, -1)...)
	}
	if len(c.none) == 0 {
		if v := r.Header["If-Modified-Since"]; len(v) == 1 {
			c.since, _ = http.ParseTime(v[0])
		}
	}
	c.part = len(r.Header["Range"]) > 0
	c.reads = r.Method == http.MethodGet || r.Method == http.MethodHead
	c.page = mayBePage(r) ||
		c.reads && slices.ContainsFunc(c.none, func(tag string) bool { _, _, ok := untagged(tag); return ok })
	return c
}

// translate makes the conditions for the origin, of a request that has the client's.
func (c *conditions) translate(h http.Header, gate string, since time.Time) {
	for _, name := range []string{"If-Match", "If-None-Match"} { // of a change: the origin knows its own tags
		if name == "If-None-Match" && c.reads {
			continue
		}
		h[name] = slices.Clone(h[name])
		for i, line := range h[name] {
			h[name][i] = entityTag.ReplaceAllStringFunc(line, func(tag string) string {
				if origin, _, ok := untagged(tag); ok {
					return origin
				}
				return tag
			})
		}
	}
	if v := h.Get("If-Range"); v != "" {
		if _, _, ok := untagged(v); ok {
			h.Del("If-Range") // a gated page has no parts
			h.Del("Range")
		}
	}
	if !c.page {
		return
	}
	if len(c.none) > 0 {
		var list []string
		for _, tag := range c.none {
			origin, of, ok := untagged(tag)
			switch {
			case !ok:
				c.foreign = true
				list = append(list, tag)
			case of == gate:
				list = append(list, origin)
				if c.sent == nil {
					c.sent = map[string]string{}
				}
				c.sent[strings.TrimPrefix(origin, "W/")] = tag
			}
		}
		if len(c.sent) == 0 && c.foreign {
			return // as it came
		}
		h.Del("If-Modified-Since")
		if h.Del("If-None-Match"); len(list) > 0 {
			h["If-None-Match"] = []string{strings.Join(list, ", ")}
		}
		return
	}
	c.foreign = !c.since.IsZero() && c.since.Before(since.Truncate(time.Second))
}

// unchanged mends the head of a 304 that the origin sent. It is false where that may be of a page
// that the client has without the gate.
func (c *conditions) unchanged(h http.Header, since time.Time) bool {
	tag, ok := c.sent[strings.TrimPrefix(h.Get("Etag"), "W/")]
	if !ok {
		return !c.foreign
	}
	h.Set("Etag", tag)
	mendModified(h, since)
	return true
}

// ranged reports whether an answer is a part of what may be a page, or says that there is no such part: a
// gated page has no parts, and a client would join one with what it has of the rest.
func (c *conditions) ranged(resp *http.Response) bool {
	if !c.part || !c.reads {
		return false
	}
	kind, _, _ := mime.ParseMediaType(resp.Header.Get("Content-Type"))
	switch resp.StatusCode {
	case http.StatusPartialContent:
		return kind == "text/html" || kind == "multipart/byteranges" && c.page
	case http.StatusRequestedRangeNotSatisfiable:
		return c.page
	}
	return false
}

// mendModified makes the time of a gated page that of the gate, where that is the newer.
func mendModified(h http.Header, since time.Time) {
	if v := h.Get("Last-Modified"); v != "" {
		if at, err := http.ParseTime(v); err == nil && at.Before(since) {
			h.Set("Last-Modified", since.UTC().Truncate(time.Second).Format(http.TimeFormat))
		}
	}
}

// evaluate makes a 304 of a gated page that the client has already.
func (c *conditions) evaluate(resp *http.Response) {
	m := resp.Request.Method
	if resp.StatusCode != http.StatusOK || m != http.MethodGet && m != http.MethodHead {
		return
	}
	h := resp.Header
	switch {
	case len(c.none) > 0:
		tag := strings.TrimPrefix(h.Get("Etag"), "W/")
		if !(c.none[0] == "*" || tag != "" && slices.ContainsFunc(c.none,
			func(t string) bool { return strings.TrimPrefix(t, "W/") == tag })) {
			return
		}
	case !c.since.IsZero():
		at, err := http.ParseTime(h.Get("Last-Modified"))
		if err != nil || at.After(c.since) {
			return
		}
	default:
		return
	}
	resp.Body.Close()
	resp.Body, resp.ContentLength, resp.Trailer, resp.TransferEncoding = http.NoBody, 0, nil, nil
	resp.StatusCode, resp.Status = http.StatusNotModified, "304 Not Modified"
	for _, name := range []string{"Content-Length", "Content-Type", "Content-Encoding", "Content-Language",
		"Content-Range", "Trailer"} {
		h.Del(name)
	}
}
