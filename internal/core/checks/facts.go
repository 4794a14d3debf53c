package checks

import (
	"encoding/json"
)

// What is kept of each page for the checks of the whole site. A fact is a value that can be
// written down: taken from one page, and read back wherever the site is looked at, today or
// from a file that another machine wrote.

// A PageAt says of which page a fact is.
type PageAt struct {
	Path, File string
	Aside      bool // nobody looks for it: it leads elsewhere at once, or stands in for another
}

// A kind is one kind of fact. T is what is kept of a page, S what that of all pages comes to.
type kind[T, S any] struct {
	name string
	of   func(*Pass) *T                   // nil where there is nothing to keep
	add  func(sum *S, at PageAt, fact *T) // the pages come in their order
}

// a Kind is a kind, whatever it keeps.
type anyKind interface {
	named() string
	take(*Pass) any
	read(text []byte) (any, error)
	begin() any
	sum(into any, at PageAt, fact any)
}

func (k *kind[T, S]) named() string { return k.name }
func (k *kind[T, S]) begin() any    { return new(S) }

func (k *kind[T, S]) take(p *Pass) any {
	if fact := k.of(p); fact != nil {
		return fact
	}
	return nil
}

func (k *kind[T, S]) read(text []byte) (any, error) {
	fact := new(T)
	return fact, json.Unmarshal(text, fact)
}

func (k *kind[T, S]) sum(into any, at PageAt, fact any) { k.add(into.(*S), at, fact.(*T)) }

// all is what the facts of all pages come to.
func (k *kind[T, S]) all(s *SitePass) *S {
	for i, other := range s.Gathered.kinds {
		if other.named() == k.name {
			return s.Gathered.sums[i].(*S)
		}
	}
	panic("the kind of fact is not listed: " + k.name)
}

// Gathered is what the facts of all pages come to. It is added to by one goroutine at a time.
type Gathered struct {
	Pages  int // that are no fragments
	Sought int // of them, those that are not aside
	kinds  []anyKind
	sums   []any
}

// gatheredOf begins without a page, for kinds of facts in the order in which pages have them.
func gatheredOf(kinds []anyKind) *Gathered {
	g := &Gathered{kinds: kinds, sums: make([]any, len(kinds))}
	for i, k := range kinds {
		g.sums[i] = k.begin()
	}
	return g
}

// Add takes a page in. Pages are added in the order of their paths.
func (g *Gathered) Add(at PageAt, facts []any) {
	g.Pages++
	if !at.Aside {
		g.Sought++
	}
	for i, fact := range facts {
		if fact != nil {
			g.kinds[i].sum(g.sums[i], at, fact)
		}
	}
}
