package checks

import (
	"encoding/json"
	"fmt"
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
	for i, other := range kinds {
		if other.named() == k.name {
			return s.Gathered.sums[i].(*S)
		}
	}
	panic("the kind of fact is not listed: " + k.name)
}

// kinds lists what is kept. A check asks for its own, and some ask for one together.
var kinds = []anyKind{titleFact, descriptionFact, canonicalFact, noindexFact, findableFact, loadFact, nameFact, styleFact, popupFact, usedFact}

// Facts are the facts of one page, in the order of their kinds; nil for one that there is not.
type Facts []any

// factsOf takes the facts of a page.
func factsOf(p *Pass) Facts {
	f := make(Facts, len(kinds))
	for i, k := range kinds {
		f[i] = k.take(p)
	}
	return f
}

// MarshalJSON writes the facts as an object with a member for each kind there is.
func (f Facts) MarshalJSON() ([]byte, error) {
	b := []byte{'{'}
	for i, fact := range f {
		if fact == nil {
			continue
		}
		if len(b) > 1 {
			b = append(b, ',')
		}
		b = fmt.Appendf(b, "%q:", kinds[i].named())
		text, err := json.Marshal(fact)
		if err != nil {
			return nil, err
		}
		b = append(b, text...)
	}
	return append(b, '}'), nil
}

// UnmarshalJSON reads what MarshalJSON writes; a kind that this version does not know is an
// error.
func (f *Facts) UnmarshalJSON(text []byte) error {
	var of map[string]json.RawMessage
	if err := json.Unmarshal(text, &of); err != nil {
		return err
	}
	*f = make(Facts, len(kinds))
	for i, k := range kinds {
		raw, ok := of[k.named()]
		if !ok {
			continue
		}
		fact, err := k.read(raw)
		if err != nil {
			return fmt.Errorf("the fact %q: %w", k.named(), err)
		}
		(*f)[i] = fact
		delete(of, k.named())
	}
	for name := range of {
		return fmt.Errorf("the fact %q is of no kind that this version knows", name)
	}
	return nil
}

// Gathered is what the facts of all pages come to. It is added to by one goroutine at a time.
type Gathered struct {
	Pages  int // that are no fragments
	Sought int // of them, those that are not aside
	sums   []any
}

// NewGathered begins without a page.
func NewGathered() *Gathered {
	g := &Gathered{sums: make([]any, len(kinds))}
	for i, k := range kinds {
		g.sums[i] = k.begin()
	}
	return g
}

// Add takes a page in. Pages are added in the order of their paths.
func (g *Gathered) Add(at PageAt, facts Facts) {
	g.Pages++
	if !at.Aside {
		g.Sought++
	}
	for i, fact := range facts {
		if fact != nil {
			kinds[i].sum(g.sums[i], at, fact)
		}
	}
}

// ReadFact reads one fact as JSON, of the kind of that number in Facts.
func ReadFact(kind int, text []byte) (any, error) {
	if kind < 0 || kind >= len(kinds) {
		return nil, fmt.Errorf("there is no kind of fact with the number %d", kind)
	}
	return kinds[kind].read(text)
}
