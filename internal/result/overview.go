package result

import "time"

// An Overview is what a gate file decides, for somebody who reads no gate files.
type Overview struct {
	Site  string    `json:"site"`
	URL   string    `json:"url"`
	Gate  string    `json:"gate"` // the gate file
	Day   string    `json:"day"`
	Pages int       `json:"pages"`
	Items []Thing   `json:"items"` // in the gate file's order
	Kinds []Kind    `json:"kinds"` // all pages, the home page, each page set, all other pages
	Hosts []Host    `json:"hosts"` // third parties
	Rules []Said    `json:"rules"` // of metadata
	Alone []Said    `json:"alone"` // per-page
	Main  []Preview `json:"main"`  // how main pages are listed
	// History are the latest entries, the newest first.
	History []HistoryEntry `json:"history"`
	// Pictures are those of shared links, by their path.
	Pictures map[string][]byte `json:"-"`
}

// A Thing is an item in words.
type Thing struct {
	Item    string   `json:"item"`
	Is      []string `json:"is"`      // what it brings: "the script /js/booking.js"
	Where   string   `json:"where"`   // "all pages but the members pages"
	On      int      `json:"on"`      // pages that have it
	Off     int      `json:"off"`     // pages from which it is taken
	Why     string   `json:"why"`     // its note
	Notes   []string `json:"notes"`   // of its pages, exceptions and parameters
	Opens   []string `json:"opens"`   // what opens a popup
	Hosts   []string `json:"hosts"`   // third parties that it loads from
	Bytes   int      `json:"bytes"`   // that it adds to a page, at most, as far as that is known
	Gzip    int      `json:"gzip"`    // the same, compressed
	Unknown bool     `json:"unknown"` // what it loads from third parties has no known weight
	Needs   []string `json:"needs"`
	Kept    string   `json:"kept,omitempty"` // why it is nowhere: disabled, its dates
	Decided Decided  `json:"decided"`
	Rule    Rule     `json:"rule"`
}

// Decided says since when something is as it is, and by whom.
type Decided struct {
	Number  int       `json:"number,omitempty"` // of the history's entry; 0 for none
	Time    time.Time `json:"time,omitzero"`
	Who     string    `json:"who,omitempty"`
	How     string    `json:"how,omitempty"`     // what was said of it, or the command
	First   bool      `json:"first,omitempty"`   // it was so when the history begins
	Pending bool      `json:"pending,omitempty"` // it is not in effect yet
}

// A Kind is a kind of pages with what loads there.
type Kind struct {
	Name  string     `json:"name"`  // "all pages", "the home page", "the events pages", "all other pages"
	Query string     `json:"query"` // in words; "" where the name says it
	Note  string     `json:"note"`
	Pages int        `json:"pages"`
	Some  []string   `json:"some"` // the first of them
	Loads []KindLoad `json:"loads"`
}

// A KindLoad is an item on pages of a kind.
type KindLoad struct {
	Item string   `json:"item"`
	On   int      `json:"on"`   // pages of the kind
	Some []string `json:"some"` // the first of them
}

// A Host is a third party with the items that load from it.
type Host struct {
	Host  string   `json:"host"`
	Items []string `json:"items"`
	Pages int      `json:"pages"`
}

// Said is a line of the gate file in words.
type Said struct {
	Where string   `json:"where"`
	Says  []string `json:"says"`
	Note  string   `json:"note"`
	Rule  Rule     `json:"rule"`
}
