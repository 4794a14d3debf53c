package result

import (
	"slices"
	"time"

	"yellowgate/internal/core/pagechange"
)

// Diff is what apply would change.
type Diff struct {
	Pages  []PageDiff `json:"pages"`  // that apply would write
	Items  []ItemDiff `json:"items"`  // that come or go somewhere
	Breaks []Break    `json:"breaks"` // items that go from pages which seem to need them
	Gone   []string   `json:"gone"`   // pages of the output whose source is gone
	Total  int        `json:"total"`  // pages looked at
	// Changes are what changes on pages, as what it is.
	Changes []Change `json:"changes"`
	// Fragments are the files of HTML that are no pages of their own.
	Fragments int       `json:"fragments"`
	Others    []string  `json:"others"`  // files that are no pages and that apply would copy
	Blocked   []string  `json:"blocked"` // files of others that stand where apply must write: it would stop
	Applied   time.Time `json:"applied"` // when the oldest of the pages behind was applied; zero if never
	Last      time.Time `json:"last"`    // when anything was applied last
}

// Change is the same kind of change on several pages.
type Change = pagechange.Group

// Beyond are the changes that are not told by the items that come and go.
func Beyond(changes []Change, items []ItemDiff) []Change {
	return slices.DeleteFunc(slices.Clone(changes), func(c Change) bool {
		return c.Kind == pagechange.Item && c.How != pagechange.Moved &&
			slices.ContainsFunc(items, func(it ItemDiff) bool { return it.Item == c.Name })
	})
}

// Behind reports whether apply would do anything.
func (d *Diff) Behind() bool { return len(d.Pages)+len(d.Others)+len(d.Gone) > 0 }

// A PageDiff is one page that apply would write.
type PageDiff struct {
	Page    string   `json:"page"`
	File    string   `json:"file"`
	New     bool     `json:"new"`    // it is not in the output folder
	Base    string   `json:"base"`   // what it is compared with: applied, or source where it is new
	Edited  bool     `json:"edited"` // it was changed since it was applied
	Gained  []string `json:"gained"` // items
	Lost    []string `json:"lost"`
	Unified string   `json:"diff"`
	Added   int      `json:"added"` // lines
	Removed int      `json:"removed"`
}

// A Break is an item that goes from a page which seems to need it.
type Break struct {
	Page string `json:"page"`
	Item string `json:"item"`
	What string `json:"what"`         // would break
	In   bool   `json:"in,omitempty"` // it does not go: where it stands, a script rebuilds the page
}

// An ItemDiff is one item with the pages that gain and lose it.
type ItemDiff struct {
	Item   string   `json:"item"`
	Gained []string `json:"gained"`
	Lost   []string `json:"lost"`
	// Replaced are the pages that lose elements which it replaces.
	Replaced []string `json:"replaced"`
}
