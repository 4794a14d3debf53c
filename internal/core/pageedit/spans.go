package pageedit

import (
	"slices"
	"sort"

	"yellowgate/internal/core/markup"
)

// spans are stretches of a page, sorted by where they begin, with the furthest end of each
// and those before it.
type spans struct {
	list []markup.Span
	far  []int
}

func (s *spans) add(x markup.Span) {
	n := sort.Search(len(s.list), func(i int) bool { return s.list[i].Start > x.Start })
	s.list, s.far = slices.Insert(s.list, n, x), slices.Insert(s.far, n, 0)
	for i := n; i < len(s.list); i++ {
		far := s.list[i].End
		if i > 0 {
			far = max(far, s.far[i-1])
		}
		if i > n && s.far[i] == far {
			break
		}
		s.far[i] = far
	}
}

// before is the last stretch that begins before an offset, or nil.
func (s *spans) before(at int) *markup.Span {
	if n := sort.Search(len(s.list), func(i int) bool { return s.list[i].Start >= at }); n > 0 {
		return &s.list[n-1]
	}
	return nil
}

// cover reports whether one of the stretches covers an offset.
func (s *spans) cover(at int) bool {
	n := sort.Search(len(s.list), func(i int) bool { return s.list[i].Start > at })
	return n > 0 && s.far[n-1] > at
}
