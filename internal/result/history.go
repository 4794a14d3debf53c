package result

import "time"

// A HistoryEntry is what was in effect, or edited, at a time.
type HistoryEntry struct {
	Number  int           `json:"number"`
	Time    time.Time     `json:"time"`
	Who     string        `json:"who"`  // user and machine
	What    string        `json:"what"` // apply, edit, kept (before one went back)
	Command string        `json:"command,omitempty"`
	Message string        `json:"message,omitempty"` // what somebody said of it
	Files   []HistoryFile `json:"files"`             // gate files and those that they name, as they were then
	Was     []HistoryFile `json:"was,omitempty"`     // of an edit: the changed ones before
	Undone  bool          `json:"undone,omitempty"`  // an edit that was taken back
	Pages   int           `json:"pages,omitempty"`   // of the site, at an apply
	Written int           `json:"written,omitempty"` // pages that it wrote
	Audits  []Measured    `json:"audits,omitempty"`  // of the output, while it was in effect
}

// A HistoryFile is a file by its name, relative to the folder of the gate file, and what stands for its text.
type HistoryFile struct {
	Name   string `json:"name"`
	Digest string `json:"digest"` // SHA-256, in hexadecimal
	Bytes  int    `json:"bytes"`
}

// Measured is what an audit came to.
type Measured struct {
	Time     time.Time `json:"time"`
	Pages    int       `json:"pages"`
	Requests int       `json:"requests"` // of all pages
	Bytes    int64     `json:"bytes"`
	Errors   int       `json:"errors"`
	Warnings int       `json:"warnings"`
	Notes    int       `json:"notes"`
}

// A HistoryChange says what an entry changed.
type HistoryChange struct {
	Entry  HistoryEntry `json:"entry"`
	Before int          `json:"before"` // the number of the entry that it is compared with; 0 for none
	Diff   string       `json:"diff"`   // of the gate files and those that they name, unified
	GateDiff
}

// A Return is what going back changes.
type Return struct {
	To      HistoryEntry `json:"to"`
	Files   []string     `json:"files"` // that become others
	Diff    string       `json:"diff"`
	Kept    int          `json:"kept"` // the number of the entry in which what stood there is kept; 0 for none
	Written bool         `json:"written"`
}
