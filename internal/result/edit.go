package result

import "yellowgate/internal/core/problem"

// A GateChange says what a change does.
type GateChange struct {
	File      string            `json:"file"`
	Diff      string            `json:"diff"` // of the gate file, unified
	Items     []ItemDiff        `json:"items"`
	Changed   []string          `json:"changed"`   // pages that change without gaining or losing an item
	Unchanged int               `json:"unchanged"` // pages
	Pages     int               `json:"pages"`
	In        int               `json:"in"`    // pages on which the item is then
	There     bool              `json:"there"` // whether there is such an item then
	Spots     []string          `json:"spots"` // new items that wait for a spot in a page
	Box       bool              `json:"box"`   // a vendor's container goes to the body's end
	Written   bool              `json:"written"`
	Refused   bool              `json:"refused"` // apply would refuse the gate file as it is then
	Problems  []problem.Problem `json:"-"`       // warnings of the gate file as it is then
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
