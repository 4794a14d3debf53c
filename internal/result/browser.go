package result

// InBrowser is where a browser has an item, held against the gate.
type InBrowser struct {
	Screens []string `json:"screens"`
	Unread  []string `json:"unread"` // pages that were not read
	Has     []string `json:"has"`    // pages
	Lacks   []string `json:"lacks"`  // pages where the gate says in, and the browser has none of it
	// Leaks are the pages where the gate says out, and the browser has it all the same.
	Leaks []Brought `json:"leaks"`
}

// Brought is a page with who brings something in there.
type Brought struct {
	Page string `json:"page"`
	By   string `json:"by"` // the script, and what brought that; "" for the page itself
}

// SurveyBrowser is what a browser asks for on the pages of a survey.
type SurveyBrowser struct {
	Screens  []string `json:"screens"`
	Unread   []string `json:"unread"`
	Requests int      `json:"requests"` // of all visits
	Wire     int64    `json:"wire"`     // bytes that came
	// Scripts are what only scripts ask for: no element of a page's text names it.
	Scripts []*Requested `json:"scripts"`
	// Failed are those of all requests that brought nothing.
	Failed []*Requested `json:"failed"`
	// Never are files that the text of pages loads and that a browser asked for on none of them.
	Never []string `json:"never"`
}

// Requested is one thing that a browser asks for, over all pages.
type Requested struct {
	Target string `json:"target"`
	Kind   string `json:"kind"`
	Party  string `json:"party"`
	Item   string `json:"item"`
	Pages  int    `json:"pages"`
	Wire   int64  `json:"wire"` // bytes that came, once
	By     string `json:"by"`   // who asked first, and what brought that
	Why    string `json:"why,omitempty"`

	Last string // the page that was counted last
}
