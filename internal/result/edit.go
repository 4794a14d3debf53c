package result

import "yellowgate/internal/core/problem"

// GateDiff is what differs between what two gate files make of the same pages.
type GateDiff struct {
	Items     []ItemDiff `json:"items"`
	Changed   []string   `json:"changed"`   // pages that change without gaining or losing an item
	Changes   []Change   `json:"changes"`   // what changes on pages, as what it is
	Breaks    []Break    `json:"breaks"`    // items that go from pages which seem to need them
	Follows   []string   `json:"follows"`   // what else the change brings, in words
	Added     []string   `json:"added"`     // pages that only the second has
	Removed   []string   `json:"removed"`   // pages that only the first has
	Unchanged int        `json:"unchanged"` // pages
	Pages     int        `json:"pages"`     // of the second
}

// NewGateDiff is one in which nothing differs.
func NewGateDiff() GateDiff {
	return GateDiff{
		Items: []ItemDiff{}, Changed: []string{}, Changes: []Change{}, Breaks: []Break{}, Follows: []string{},
		Added: []string{}, Removed: []string{},
	}
}

// A GateChange says what a change does.
type GateChange struct {
	File string `json:"file"`
	Diff string `json:"diff"` // of the gate file, unified
	GateDiff
	In       int               `json:"in"`    // pages on which the item is then
	There    bool              `json:"there"` // whether there is such an item then
	Spots    []string          `json:"spots"` // new items that wait for a spot in a page
	Box      bool              `json:"box"`   // a vendor's container goes to the body's end
	Written  bool              `json:"written"`
	Refused  bool              `json:"refused"` // apply would refuse the gate file as it is then
	Problems []problem.Problem `json:"-"`       // warnings of the gate file as it is then
}

// FirstGate is a first gate file for a folder of pages.
type FirstGate struct {
	File    string
	Text    []byte
	Items   int
	LeftOut []LeftOut
}

// LeftOut is what a first gate file gives no name, and on how many pages it stands.
type LeftOut struct {
	What  string
	Pages int
}
