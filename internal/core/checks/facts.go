package checks

import (
	"encoding/json"
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/head"
	"yellowgate/internal/core/checks/loading"
	"yellowgate/internal/core/checks/popups"
	"yellowgate/internal/core/checks/rendered"
)

// kinds lists what is kept. A check asks for its own, and some ask for one together.
var kinds = slices.Concat(head.Facts(), []check.AnyKind{check.LoadFact}, loading.Facts(), popups.Facts(),
	rendered.Facts())

// Facts are the facts of one page, in the order of their kinds; nil for one that there is not.
type Facts []any

// factsOf takes the facts of a page.
func factsOf(p *check.Pass) Facts {
	f := make(Facts, len(kinds))
	for i, k := range kinds {
		f[i] = k.Take(p)
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
		b = fmt.Appendf(b, "%q:", kinds[i].Name())
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
		raw, ok := of[k.Name()]
		if !ok {
			continue
		}
		fact, err := k.Read(raw)
		if err != nil {
			return fmt.Errorf("the fact %q: %w", k.Name(), err)
		}
		(*f)[i] = fact
		delete(of, k.Name())
	}
	for name := range of {
		return fmt.Errorf("the fact %q is of no kind that this version knows", name)
	}
	return nil
}

// NewGathered begins without a page.
func NewGathered() *check.Gathered { return check.GatheredOf(kinds) }

// ReadFact reads one fact as JSON, of the kind of that number in Facts.
func ReadFact(kind int, text []byte) (any, error) {
	if kind < 0 || kind >= len(kinds) {
		return nil, fmt.Errorf("there is no kind of fact with the number %d", kind)
	}
	return kinds[kind].Read(text)
}
