package visits

import (
	"sync"

	"yellowgate/internal/core/pageload"
	"yellowgate/internal/result"
)

// Removals know which scripts take items apart, by what is taken out of which element: pages that are made alike have
// the same scripts.
type Removals struct{ by sync.Map }

// Trace says of what was taken out of a page which script did. Where that is not known yet, the page is opened again.
func (m *Removals) Trace(taken []*pageload.Removed, again func() *result.Opened) {
	kind := func(x pageload.Removed) pageload.Removed { x.By = nil; return x }
	for _, x := range taken {
		by, known := m.by.Load(kind(*x))
		if !known {
			for _, y := range again().Removed {
				m.by.LoadOrStore(kind(y), y.By)
			}
			by, _ = m.by.LoadOrStore(kind(*x), x.By) // nil: nobody was seen to take it out again
		}
		x.By = by.(*pageload.By)
	}
}
