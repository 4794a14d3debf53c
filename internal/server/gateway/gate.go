package gateway

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/maphash"
	"net/http"
	"strings"

	"yellowgate/internal/capture"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

// gatedPage is what the gate made of one body.
type gatedPage struct {
	key     pageKey
	text    []byte // without a coding
	changed bool   // it is another than the origin's

	why, detail string // it is not gated
}

// mostTags is how many tags a page may have: what it costs grows with them rather than with its bytes.
const mostTags = 100_000

// fileOf is the file that stands for an address: the same as in a capture of the site.
func (a *exchange) fileOf() (file, why string) {
	u := *a.in.URL
	u.RawQuery = strings.TrimPrefix(page.Query(u.RawQuery, a.state.Project.Gate.File.Site.Query), "?")
	return capture.FileOf(&u, true, true)
}

// gatePage gates a page. Where why is not "", the page is to be passed on as it came.
func (g *Gateway) gatePage(a *exchange, resp *http.Response, came []byte) (m *gatedPage, why, detail string) {
	file, none := a.fileOf()
	if none != "" {
		return nil, passedOther, none
	}
	answer := &page.Answer{
		Status: resp.StatusCode, Fields: map[string][]string{},
		Path: page.IdentifyURL(a.in.URL, a.state.Project.Gate.File.Site.Query),
	}
	for _, name := range page.Describing {
		if lines := resp.Header.Values(name); len(lines) > 0 {
			answer.Fields[name] = lines
		}
	}
	key := keyOf(a, resp, file, answer, came)
	if m = g.kept.get(key); m != nil {
		return m, m.why, m.detail
	}
	m = &gatedPage{key: key}
	g.gate(a, m, resp, file, answer, came)
	g.kept.put(m)
	return m, m.why, m.detail
}

// keyOf stands for all that a gated page depends on.
func keyOf(a *exchange, resp *http.Response, file string, answer *page.Answer, came []byte) (key pageKey) {
	b := make([]byte, 0, 512)
	add := func(s string) {
		b = binary.AppendUvarint(b, uint64(len(s)))
		b = append(b, s...)
	}
	add(a.state.Project.Digest)
	add(file)
	add(answer.Path)
	add(coding(resp.Header["Content-Encoding"]))
	for _, name := range page.Meaningful {
		for _, line := range answer.Fields[name] {
			add(name)
			add(line)
		}
	}
	for i, seed := range keySeeds {
		var h maphash.Hash
		h.SetSeed(seed)
		_, _ = h.Write(b) // its parts say how long they are, so the page begins where they end
		_, _ = h.Write(came)
		key[i] = h.Sum64()
	}
	return key
}

// gate makes a page. A mistake in this program costs nobody a page: it passes as it came.
func (g *Gateway) gate(a *exchange, m *gatedPage, resp *http.Response, file string, answer *page.Answer, came []byte) {
	defer func() {
		if e := recover(); e != nil {
			m.why, m.detail = passedFault, fmt.Sprint(e)
		}
	}()
	text, err := decoded(came, coding(resp.Header["Content-Encoding"]), g.Largest)
	switch {
	case err == errLarge:
		m.why = passedLarge
		return
	case err != nil:
		m.why, m.detail = passedCoding, err.Error()
		return
	case bytes.Count(text, []byte("<")) > mostTags:
		m.why, m.detail = passedLarge, fmt.Sprintf("it has more than %d tags", mostTags)
		return
	}
	pg := a.state.Project.PageFrom(file, answer)
	r := a.state.Project.Gate.Page(text, pg)
	if r.Fragment {
		m.why = passedFragment
		return
	}
	for _, p := range r.Problems {
		if p.Severity == problem.Error {
			m.why, m.detail = passedProblem, p.Pos.String()+": "+p.Message
			return
		}
	}
	m.text, m.changed = r.File, len(r.File) != len(text) || string(r.File) != string(text)
}

// same reports whether the page is in a body's own bytes.
func (m *gatedPage) same(body []byte) bool {
	return len(m.text) > 0 && cap(body) > 0 && &m.text[:1][0] == &body[:1][0]
}

// in is the page in a coding.
func (m *gatedPage) in(coding string, k *pageCache) ([]byte, error) {
	if coding == identity {
		return m.text, nil
	}
	return k.coded(m, coding)
}
