package inventory

import "net/url"

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
	hosts := map[string]bool{}
	for i := range r.Elements {
		e := &r.Elements[i]
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
		load := func(into *int, target, party string, bytes, gzip int, blocking bool) {
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
		} else {
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
	}
	return false
}

// Restore fills in what a saved record does not have and its written fields tell.
func (r *Record) Restore() {
	for i := range r.Elements {
		e := &r.Elements[i]
		e.Loads = e.Fetched()
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
