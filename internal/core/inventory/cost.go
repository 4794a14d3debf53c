package inventory

import (
	"iter"
	"net/url"
	"slices"
	"strings"

	"yellowgate/internal/core/markup"
)

// Cost is what a page costs a visitor besides its own HTML, imports included.
type Cost struct {
	Requests     int
	Blocking     int // of these, those that hold up the first paint or the parser
	ThirdParties int // hosts
	Scripts      int // bytes, inline ones too
	Styles       int // the same
	Loaded       int // bytes of the files
	LoadedGzip   int
	Inline       int // bytes of inline scripts and styles
	InlineGzip   int
}

// Cost sums up what a browser acts on: nothing in templates, noscripts or
// drawings.
func (r *Record) Cost() Cost { return r.CostWhere(func(e *Element) bool { return e.Loads }) }

// CostWhere is Cost where loads says which elements make a browser fetch
// something: a saved record does not tell.
func (r *Record) CostWhere(loads func(*Element) bool) (c Cost) {
	hosts, shown := map[string]bool{}, map[string]bool{}
	for i := range r.size() {
		e := r.element(i)
		if e.Inside != "" {
			continue
		}
		into := new(int)
		switch {
		case e.Tag == "script":
			into = &c.Scripts
		case e.IsStylesheet() || e.Tag == "style":
			into = &c.Styles
		}
		media := i >= len(r.Elements) && i < len(r.Elements)+len(r.Media)
		load := func(into *int, target, party string, bytes, gzip int, blocking bool) {
			if media {
				if shown[target] { // a picture that stands twice is fetched once
					return
				}
				shown[target] = true
			}
			*into += bytes
			c.Requests++
			c.Loaded += bytes
			c.LoadedGzip += gzip
			if blocking {
				c.Blocking++
			}
			if party == "third" {
				hosts[Host(target)] = true
			}
		}
		if loads(e) {
			load(into, e.Target, e.Party, e.Bytes, e.Gzip, e.Runs == "blocking")
		} else if e.Party == "inline" {
			*into += e.Bytes
			c.Inline += e.Bytes
			c.InlineGzip += e.Gzip
		}
		for _, m := range e.Imports {
			load(into, m.Target, m.Party, m.Bytes, m.Gzip, e.Runs == "blocking")
		}
		for _, m := range e.Brings { // which holds up nothing
			kind := map[string]*int{"script": &c.Scripts, "import": &c.Scripts, "link": &c.Styles}[m.Tag]
			if kind == nil {
				kind = new(int)
			}
			if !m.Later {
				load(kind, m.Target, m.Party, m.Bytes, m.Gzip, false)
			}
		}
	}
	c.ThirdParties = len(hosts)
	return c
}

// Fetched reports whether an element makes a browser fetch something, as far as its
// written fields tell: all that a saved record has.
func (e *Element) Fetched() bool {
	switch e.Tag {
	case "script", "iframe":
		return e.URL != ""
	case "link":
		return e.Loads || e.Runs != "" || e.Bytes > 0
	case "title", "meta", "base", "style", "noscript", "template", "dialog":
		return false
	}
	return e.URL != "" && e.Runs != OnDemand && !strings.HasPrefix(e.Target, "data:")
}

// OnDemand says how a film runs that loads only once somebody plays it, and a source that a
// browser may choose instead of another.
const OnDemand = "on demand"

// All visits the elements of the page, then its media, then those of the header.
func (r *Record) All() iter.Seq[*Element] {
	return func(yield func(*Element) bool) {
		for i := range r.size() {
			if !yield(r.element(i)) {
				return
			}
		}
	}
}

// A Subtotal is what a page's media of one kind come to, or what its stylesheets may ask for.
type Subtotal struct {
	Kind  string `json:"kind"`
	Files int    `json:"files"` // each address once
	Bytes int    `json:"bytes"`
	Third int    `json:"third"` // of the files: third parties'
	Dead  int    `json:"dead"`  // of the files: the site has none
	// NoScript counts those that only a browser without scripts asks for.
	NoScript int `json:"noscript"`
}

// MediaSums sums up the media by kind, and the pictures and fonts that the page's stylesheets
// name: a browser asks for those once a rule matches.
func (r *Record) MediaSums() (out []Subtotal) {
	seen := map[[2]string]bool{}
	add := func(kind, target, party string, bytes int, dead, noscript bool) {
		i := slices.IndexFunc(out, func(s Subtotal) bool { return s.Kind == kind })
		if i < 0 {
			i = len(out)
			out = append(out, Subtotal{Kind: kind})
		}
		if target == "" || seen[[2]string{kind, target}] {
			return
		}
		seen[[2]string{kind, target}] = true
		s := &out[i]
		s.Files++
		s.Bytes += bytes
		for n, is := range map[*int]bool{&s.Third: party == "third", &s.Dead: dead, &s.NoScript: noscript} {
			if is {
				*n++
			}
		}
	}
	for i := range r.Media {
		e := &r.Media[i]
		if e.Inside == "template" {
			continue
		}
		if e.Target != "" {
			add(e.Kind(), e.Target, e.Party, e.Bytes, e.Dead, e.Inside == "noscript")
		}
		for _, m := range e.Brings {
			add(e.Kind(), m.Target, m.Party, m.Bytes, m.Dead, e.Inside == "noscript")
		}
	}
	for i := range r.Elements {
		for _, m := range r.Elements[i].Files {
			kind := NamedPictures
			if m.Tag == "font" {
				kind = NamedFonts
			}
			add(kind, m.Target, m.Party, m.Bytes, m.Dead, false)
		}
	}
	return out
}

// size is how many elements there are, media and those of the header among them.
func (r *Record) size() int { return len(r.Elements) + len(r.Media) + len(r.Header) }

// element is the i-th element: those of the page, its media, those of the header.
func (r *Record) element(i int) *Element {
	if i < len(r.Elements) {
		return &r.Elements[i]
	}
	if i -= len(r.Elements); i < len(r.Media) {
		return &r.Media[i]
	}
	return &r.Header[i-len(r.Media)]
}

// Restore fills in what a saved record does not have and its written fields tell.
func (r *Record) Restore() {
	for i := range r.size() {
		e := r.element(i)
		e.Loads = e.Fetched()
		e.El.Tag = markup.ParseTag(e.Tag)
		if e.Label == "" && e.Tag == "link" {
			e.Label = e.Rel
		}
		if e.Label == "" && e.Tag == "link" && e.Runs == "blocking" {
			e.Label = "stylesheet"
		}
	}
}

// Host is the host of an absolute URL.
func Host(target string) string {
	u, err := url.Parse(target)
	if err != nil {
		return target
	}
	return u.Hostname()
}
