package result

import (
	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/usage"
)

// Suggestions is what could load on fewer pages, with the evidence for it.
type Suggestions struct {
	Format      string        `json:"format"`
	Pages       int           `json:"pages"`
	Suggestions []*Suggestion `json:"suggestions"`
	Unseen      []Unseen      `json:"unseen"` // what cannot be told from its text

	Folder string `json:"-"` // that was looked at without a gate file
}

// A Suggestion is one thing with a tighter gate.
type Suggestion struct {
	Name      string   `json:"name"` // of the item
	Is        bool     `json:"is"`   // there is such an item already
	Loads     []string `json:"loads"`
	Pages     int      `json:"pages"` // that load it
	Needed    []string `json:"needed"`
	Certainty string   `json:"certainty"` // certain, likely, possible
	Evidence  []string `json:"evidence"`
	Saves     Savings  `json:"saves"`
	Query     string   `json:"query"` // the pages that need it, as a page query; "" where none is short
	Lines     string   `json:"lines"` // of gate file that would do it

	Change func(d *gateedit.Doc, file string) error `json:"-"`
	From   *usage.Suggestion                        `json:"-"`
}

// Savings is what a suggestion would save, over all pages.
type Savings struct {
	Requests int `json:"requests"`
	Blocking int `json:"blocking"`
	Bytes    int `json:"bytes"`
	Gzip     int `json:"gzip"`
}

// Unseen is something that cannot be judged by its text.
type Unseen struct {
	Name  string `json:"name"`
	Pages int    `json:"pages"`
	Why   string `json:"why"`
}
