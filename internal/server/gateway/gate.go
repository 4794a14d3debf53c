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
	"yellowgate/internal/server/reload"
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

// A known page is what is known of one besides its text.
type known struct {
	state  *reload.Reading
	file   string
	none   string // it has none, and why
	answer *page.Answer
	coding string
}

// known is what an answer says of its page, as the origin sent it.
func (g *Gateway) known(a *exchange, resp *http.Response) *known {
	file, none := a.fileOf()
	answer := &page.Answer{
		Status: resp.StatusCode, Fields: map[string][]string{},
		Path: page.IdentifyURL(a.in.URL, a.state.Project.Gate.File.Site.Query),
	}
	for _, name := range page.Describing {
		if lines := resp.Header.Values(name); len(lines) > 0 {
			answer.Fields[name] = lines
		}
	}
	return &known{a.state, file, none, answer, coding(resp.Header["Content-Encoding"])}
}

// gatePage gates a page. Where why is not "", the page is to be passed on as it came.
func (g *Gateway) gatePage(of *known, came []byte) (m *gatedPage, why, detail string) {
	if of.none != "" {
		return nil, passedOther, of.none
	}
	key := of.key(came)
	if m = g.kept.get(key); m != nil {
		return m, m.why, m.detail
	}
	m = &gatedPage{key: key}
	g.gate(of, m, came)
	g.kept.put(m)
	return m, m.why, m.detail
}

// key stands for all that a gated page depends on.
func (of *known) key(came []byte) (key pageKey) {
	b := make([]byte, 0, 512)
	add := func(s string) {
		b = binary.AppendUvarint(b, uint64(len(s)))
		b = append(b, s...)
	}
	add(of.state.Project.Digest)
	add(of.file)
	add(of.answer.Path)
	add(of.coding)
	for _, name := range page.Meaningful {
		for _, line := range of.answer.Fields[name] {
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
func (g *Gateway) gate(of *known, m *gatedPage, came []byte) {
	defer func() {
		if e := recover(); e != nil {
			m.why, m.detail = passedFault, fmt.Sprint(e)
		}
	}()
	text, err := decoded(came, of.coding, g.Largest)
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
	r := of.state.Project.Gate.Page(text, of.page())
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

// decoded is what is known of the page without its coding.
func (of *known) decoded() *known {
	plain := *of
	plain.coding = identity
	return &plain
}

// page is the page before its text is read.
func (of *known) page() page.Page { return of.state.Project.PageFrom(of.file, of.answer) }

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
