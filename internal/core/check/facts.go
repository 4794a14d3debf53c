package check

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

// A Kind is one kind of fact. T is what is kept of a page, S what that of all pages comes to.
type Kind[T, S any] struct {
	ID  string
	Of  func(*Pass) *T                   // nil where there is nothing to keep
	Add func(sum *S, at PageAt, fact *T) // the pages come in their order
}

// a Kind is a kind, whatever it keeps.
type AnyKind interface {
	Name() string
	Take(*Pass) any
	Read(text []byte) (any, error)
	Begin() any
	Sum(into any, at PageAt, fact any)
}

func (k *Kind[T, S]) Name() string { return k.ID }
func (k *Kind[T, S]) Begin() any   { return new(S) }

func (k *Kind[T, S]) Take(p *Pass) any {
	if fact := k.Of(p); fact != nil {
		return fact
	}
	return nil
}

func (k *Kind[T, S]) Read(text []byte) (any, error) {
	fact := new(T)
	return fact, json.Unmarshal(text, fact)
}

func (k *Kind[T, S]) Sum(into any, at PageAt, fact any) { k.Add(into.(*S), at, fact.(*T)) }

// All is what the facts of all pages come to.
func (k *Kind[T, S]) All(s *SitePass) *S {
	for i, other := range s.Gathered.kinds {
		if other.Name() == k.ID {
			return s.Gathered.sums[i].(*S)
		}
	}
	panic("the kind of fact is not listed: " + k.ID)
}

// Gathered is what the facts of all pages come to. It is added to by one goroutine at a time.
type Gathered struct {
	Pages  int // that are no fragments
	Sought int // of them, those that are not aside
	kinds  []AnyKind
	sums   []any
}

// GatheredOf begins without a page, for kinds of facts in the order in which pages have them.
func GatheredOf(kinds []AnyKind) *Gathered {
	g := &Gathered{kinds: kinds, sums: make([]any, len(kinds))}
	for i, k := range kinds {
		g.sums[i] = k.Begin()
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
			g.kinds[i].Sum(g.sums[i], at, fact)
		}
	}
}
