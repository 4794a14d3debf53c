package result

// WhereItem is one item over all pages.
type WhereItem struct {
	Item     string      `json:"item"`
	Note     string      `json:"note"`
	Parts    []string    `json:"parts"`
	In       []WherePage `json:"in"`
	Out      []WherePage `json:"out"`
	NeededBy []string    `json:"neededBy"`
	Needs    []string    `json:"needs"`
	Pages    int         `json:"pages"`  // of the site
	Absent   int         `json:"absent"` // pages it may stay on whose source lacks it
	// Replaced are how many elements it takes out because it replaces them, of ReplacedOn pages.
	Replaced   int `json:"replaced"`
	ReplacedOn int `json:"replacedOn"`
	// Addresses open the item's popup: a page with a fragment.
	Addresses []string `json:"addresses"`
	// Browser is where a browser has it; nil where none was asked.
	Browser *InBrowser `json:"browser,omitempty"`
}

// A WherePage is one page with the reason of the verdict.
type WherePage struct {
	Page    string `json:"page"`
	Reason  string `json:"reason"`
	Because string `json:"because"`
	Rule    Rule   `json:"rule"`
	// Params are the values of the item's parameters there; nil where nobody asked.
	Params []WhyParam `json:"params,omitempty"`
}

// A WhereLine is one item with its counts.
type WhereLine struct {
	Item  string `json:"item"`
	Kind  string `json:"kind"` // what it carries: script, stylesheet, code, found
	In    int    `json:"in"`   // pages that have it after the gate
	Gone  int    `json:"gone"` // pages from whose source it is taken out
	Pages string `json:"pages"`
	Note  string `json:"note"`
	// Browser is on how many pages a browser has it; nil where none was asked.
	Browser *int `json:"browser,omitempty"`
}
