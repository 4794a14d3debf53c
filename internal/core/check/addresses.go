package check

import (
	"bytes"
	"fmt"
	"path"
	"strings"

	"yellowgate/internal/core/page"
)

// What only a site that runs shows: how its server answered each address. A capture keeps it; for
// a folder of files there is none of it, and these checks say nothing.

// An Address is one address of the site, and what its server said when it was asked for it.
type Address struct {
	Path   string // within the site, as in Ref.Path, with the query if there is one
	Page   bool   // links lead to it; else elements or files load it
	Status int    // 0 where nothing answered
	Why    string // nothing is there, where the status does not say; or ""
	To     string // path or absolute address that it leads on to, or ""
	From   []PageAt
	Links  int // pages and sitemaps that lead to it
	// What was kept of it, if anything was.
	File   string // relative to the folder
	Wire   int64  // bytes as they were sent
	Bytes  int64
	Answer *page.Answer
}

// Addresses are those of a site, by path.
type Addresses struct {
	all    []Address
	byPath map[string]*Address
	dead   map[string]bool // paths, without their queries, where nothing is
}

// NewAddresses puts addresses in order. They must not change afterwards.
func NewAddresses(list []Address) *Addresses {
	a := &Addresses{all: list, byPath: make(map[string]*Address, len(list)), dead: map[string]bool{}}
	for i := range list {
		a.byPath[list[i].Path] = &list[i]
		if path, _, _ := strings.Cut(list[i].Path, "?"); list[i].Dead() != "" {
			a.dead[path] = true
		}
	}
	return a
}

// Redirects follows an address that leads on. steps is how often it does, at most 20; to is where it
// ends.
func (a *Addresses) Redirects(from string) (to string, steps int) {
	if a == nil {
		return from, 0
	}
	for to = from; steps < 20; steps++ {
		x := a.byPath[to]
		if x == nil || x.To == "" {
			break
		}
		to = x.To
	}
	return to, steps
}

// Unasked reports whether nobody knows if a file is there that the folder has not: its server was not asked for it.
// Of a site of files alone the folder says it.
func (a *Addresses) Unasked(path string) bool {
	if a == nil {
		return false
	}
	to, _ := a.Redirects(path)
	return !a.dead[path] && !a.dead[to]
}

// Each visits the addresses in their order.
func (a *Addresses) Each(visit func(*Address)) {
	if a == nil {
		return
	}
	for i := range a.all {
		visit(&a.all[i])
	}
}

// Told lists what addresses lead on and where nothing is, as text: what the audit of single pages depends on.
func (a *Addresses) Told() string {
	var b strings.Builder
	a.Each(func(x *Address) {
		if x.To != "" || x.Dead() != "" {
			fmt.Fprintf(&b, "%s %s\n", x.Path, x.To)
		}
	})
	return b.String()
}

// Dead says what is wrong with an address where nothing is; "" for any other.
func (x *Address) Dead() string {
	switch {
	case x.Why != "":
		return x.Why
	case x.Status == 0:
		return "it does not answer"
	case x.Status >= 400:
		return fmt.Sprintf("it answers %d", x.Status)
	}
	return ""
}

// Leaders names who leads to an address: "/, /visit/, /press/ and 4 more lead there".
func (x *Address) Leaders() string {
	var names []string
	for _, f := range x.From {
		name := f.Path
		if name == "" {
			name = f.File
		}
		names = append(names, name)
	}
	more := x.Links - len(names)
	switch {
	case more > 0:
		return fmt.Sprintf("%s and %d more lead there", strings.Join(names, ", "), more)
	case len(names) == 1:
		return names[0] + " leads there"
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1] + " lead there"
}

// AtLeader adds a finding about an address where the first page that leads there names it.
func (s *SitePass) AtLeader(x *Address, message, remedy string) {
	from, line := x.From[0], 1
	text, _ := s.Site.ReadFile("/" + from.File)
	for _, name := range []string{x.Path, "/" + path.Base(x.Path), path.Base(x.Path)} { // links may be relative
		if i := bytes.Index(text, []byte(name)); i >= 0 && len(name) > 3 {
			line += bytes.Count(text[:i], []byte("\n"))
			break
		}
	}
	s.Report(from, line, 1, message, remedy).Of(x.Path)
}

// Text reports whether what an answer brought is a text that compresses.
func (x *Address) Text() bool {
	kind, _, _ := strings.Cut(x.Answer.Field("content-type"), ";")
	kind = strings.ToLower(strings.TrimSpace(kind))
	switch {
	case strings.HasPrefix(kind, "text/") && kind != "text/event-stream",
		strings.HasSuffix(kind, "+xml"),
		strings.HasSuffix(kind, "+json"),
		kind == "application/javascript",
		kind == "application/json",
		kind == "application/xml",
		kind == "application/manifest+json":
		return true
	}
	return false
}

// KindOf is what people call what an answer brought.
func (x *Address) KindOf() string {
	switch path.Ext(x.File) {
	case ".html", ".htm":
		return "page"
	case ".css":
		return "stylesheet"
	case ".js", ".mjs":
		return "script"
	}
	return "text"
}
