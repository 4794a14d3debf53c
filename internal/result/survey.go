package result

// A Load is one thing that pages load or hold inline, over all pages.
type Load struct {
	Tag    string         `json:"tag"`
	Target string         `json:"target"` // the path within the site, an absolute URL, or the beginning of an inline text
	Party  string         `json:"party"`  // own, third, inline
	Item   string         `json:"item"`   // the item it belongs to, where there is a gate file
	Pages  int            `json:"pages"`  // that have it
	Times  int            `json:"times"`  // elements in all
	Bytes  int            `json:"bytes"`  // of one
	Gzip   int            `json:"gzip"`
	Runs   map[string]int `json:"runs"`           // by how it runs, in elements
	Area   map[string]int `json:"area"`           // head or body, in elements
	Dead   bool           `json:"dead"`           // the site has no such file
	Kind   string         `json:"kind,omitempty"` // of media: what it shows
	By     string         `json:"by,omitempty"`   // the file or "inline code" that brings it; "" for an element

	LastPage  int    `json:"-"`
	Text      string `json:"-"` // of an inline script or style
	Redirects int    `json:"-"` // pages, among Pages, that lead elsewhere at once
	On        uint64 `json:"-"` // a digest of the pages that have it
}

// Survey is an inventory of a folder.
type Survey struct {
	Dir       string  `json:"dir"`
	Pages     int     `json:"pages"`
	Fragments int     `json:"fragments"`
	Bytes     int64   `json:"bytes"` // of the pages
	Loads     []*Load `json:"loads"`
	// Media are the pictures, films, sounds and embedded objects, and what stylesheets name.
	Media []*Load `json:"media"`
	// Browser is what a browser asks for; nil where none was asked.
	Browser *SurveyBrowser `json:"browser,omitempty"`
}
