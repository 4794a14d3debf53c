package pageload

import (
	"net/url"
	"slices"
	"strings"
)

// Who asked for what. A browser names the URL of the script or stylesheet that asks; here it becomes
// the request that brought it, so that a chain leads back to the page.

// Link finds, for everything that names a script, the request that brought it. An earlier one of a URL
// counts, and the page's own URL is that of inline scripts.
func (r *Record) Link() {
	first := map[string]int{}
	for i := range r.Requests {
		if u := withoutFragment(r.Requests[i].URL); u != "" {
			if _, had := first[u]; !had {
				first[u] = i
			}
		}
	}
	of := func(raw string) int {
		if i, ok := first[withoutFragment(raw)]; ok && i > 0 {
			return i
		}
		return -1
	}
	for i := range r.Requests {
		a := &r.Requests[i].Asked
		if r.Requests[i].URL == "" {
			continue
		}
		if a.By == "redirect" {
			continue // it names the one before
		}
		if a.Request = of(a.URL); a.Request >= i {
			a.Request = -1
		}
	}
	for i := range r.Elements {
		if by := r.Elements[i].By; by != nil {
			by.Request = of(by.URL)
		}
	}
	for i := range r.Mistakes {
		if r.Mistakes[i].URL == "" {
			continue
		}
		r.Mistakes[i].Request = of(r.Mistakes[i].URL)
	}
}

// Chain lists the requests that led to one, the first of them first, that one last. It ends at the
// page, which is not in it.
func (r *Record) Chain(i int) (chain []int) {
	for i > 0 && i < len(r.Requests) && !slices.Contains(chain, i) {
		chain = append(chain, i)
		i = r.Requests[i].Asked.Request
	}
	slices.Reverse(chain)
	return chain
}

// Tree visits the requests as a tree, each before those that it led to; deep is how many led to it.
func (r *Record) Tree(visit func(i, deep int)) {
	children := map[int][]int{}
	for i := 1; i < len(r.Requests); i++ {
		by := max(r.Requests[i].Asked.Request, 0)
		if by >= i {
			by = 0 // nothing leads to what came before it
		}
		children[by] = append(children[by], i)
	}
	var walk func(i, deep int)
	walk = func(i, deep int) {
		visit(i, deep)
		for _, c := range children[i] {
			walk(c, min(deep+1, mostDeep))
		}
	}
	if len(r.Requests) > 0 {
		walk(0, 0)
	}
}

// mostDeep is how deep a tree is shown.
const mostDeep = 30

// Tell tells a chain of requests: "container.js → tag.js".
func (r *Record) Tell(chain []int) string {
	var names []string
	for _, i := range chain {
		names = append(names, r.Requests[i].Target)
	}
	return strings.Join(names, " → ")
}

// Places tells who put an element there: the script, and what brought that.
func (r *Record) Places(by *By) string {
	if by == nil {
		return "a script"
	}
	if by.Request < 0 {
		return "a script of the page"
	}
	return r.Tell(r.Chain(by.Request))
}

func withoutFragment(raw string) string {
	u, _, _ := strings.Cut(raw, "#")
	return u
}

func hostOf(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return ""
	}
	return u.Hostname()
}
