package usage

import (
	"fmt"
	"reflect"
	"sync"
	"sync/atomic"
	"testing"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// TestManyReaders: pages that are looked at by many at once come to what each comes to alone, and
// no file is read without end.
func TestManyReaders(t *testing.T) {
	files := map[string]string{"/a.css": "@import 'b.css'; .menu a { color: red } #map { height: 3em }",
		"/b.css": "form.join { padding: 1em }", "/c.css": ".nothing { margin: 0 }",
		"/kit.js": "window.kit = function () { document.querySelector('.menu').remove() }", "/use.js": "kit()"}
	var reads atomic.Int64
	read := func(path string) ([]byte, bool) {
		reads.Add(1)
		text, ok := files[path]
		return []byte(text), ok
	}
	pages := make([]*inventory.Record, 40)
	for i := range pages {
		html := fmt.Sprintf(
			"<!doctype html><title>x</title><link rel=stylesheet href=/a.css><link rel=stylesheet href=/c.css><style>.n%d { color: red }</style><script src=/kit.js></script><script src=/use.js></script>",
			i%5)
		if i%2 == 0 {
			html += "<ul class=menu><li><a href=/>x</a></ul>"
		}
		if i%3 == 0 {
			html += fmt.Sprintf("<form class=join></form><p class=n%d>", i%5)
		}
		weights := inventory.Imports{Read: read}
		weights.Weights = sizes(files)
		w := struct {
			sizes
			*inventory.Imports
		}{files, &weights}
		pages[i] = inventory.Take([]byte(html),
			page.Page{Path: fmt.Sprintf("/%d/", i), File: fmt.Sprintf("%d/index.html", i)}, weburl.NewSite(""), w)
	}
	type outcome struct {
		Styles PageStyles
		Needs  []string
		Early  []Early
	}
	look := func(s *Styles, j *Judge, r *inventory.Record) (o outcome) {
		o.Styles = s.Look(r, Read(r.Source, r.Scan, s.Wanted))
		for _, n := range j.Needs(r, Read(r.Source, r.Scan, nil)) {
			o.Needs = append(o.Needs, fmt.Sprint(n.Key, n.State, n.By))
		}
		o.Early = s.TooEarly(r)
		return o
	}
	sheets := []string{"/a.css", "/b.css", "/c.css"}
	var alone []outcome
	for _, r := range pages {
		l := &Library{Read: read}
		alone = append(alone, look(NewStyles(l, sheets), &Judge{Library: l}, r))
	}
	reads.Store(0)
	l := &Library{Read: read}
	s, j := NewStyles(l, sheets), &Judge{Library: l}
	together := make([][]outcome, 8)
	var group sync.WaitGroup
	for g := range together {
		group.Go(func() {
			together[g] = make([]outcome, len(pages))
			for i := range pages {
				at := (i*7 + g*5) % len(pages)
				together[g][at] = look(s, j, pages[at])
			}
		})
	}
	group.Wait()
	for g := range together {
		for i := range pages {
			if !reflect.DeepEqual(sorted(together[g][i].Styles), sorted(alone[i].Styles)) ||
				!reflect.DeepEqual(together[g][i].Needs, alone[i].Needs) ||
				!reflect.DeepEqual(together[g][i].Early, alone[i].Early) {
				t.Fatalf("page %d, by reader %d: %+v\nalone: %+v", i, g, together[g][i], alone[i])
			}
		}
	}
	if n := reads.Load(); n > 8*int64(len(files)+2) {
		t.Errorf("%d files were read of a site with %d", n, len(files))
	}
}

// sizes weighs files by their length.
type sizes map[string]string

func (s sizes) File(path string) (bytes, gzip int, ok bool) {
	text, ok := s[path]
	return len(text), len(text), ok
}

func (s sizes) Text(text []byte) int { return len(text) }

// sorted puts what comes in no order into one.
func sorted(p PageStyles) map[string]bool {
	out := map[string]bool{}
	for _, x := range p.Styled {
		out["styled "+x.Name+" "+x.Sheet] = true
	}
	for _, x := range p.Unstyled {
		out[fmt.Sprint("unstyled ", x.Name, x.Offset)] = true
	}
	for _, x := range p.Needless {
		out["needless "+x] = true
	}
	for _, i := range p.Unmatched {
		out[fmt.Sprint("unmatched ", i)] = true
	}
	return out
}
