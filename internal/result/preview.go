package result

// A Preview is how a page is listed elsewhere, before the gate and after it.
type Preview struct {
	Page   string  `json:"page"`
	Before *Listed `json:"before"`
	After  *Listed `json:"after"`
}

// Listed is one form of it.
type Listed struct {
	Address     string        `json:"address"` // as lists show it: ternhill.example › visit
	Title       string        `json:"title"`
	Description string        `json:"description"`
	Hidden      string        `json:"hidden,omitempty"` // why search results do not show it; "" where they may
	Shared      SharedLink    `json:"shared"`
	Frames      []ListedFrame `json:"frames"`
}

// SharedLink is what a shared link shows.
type SharedLink struct {
	Title       string `json:"title"`
	Description string `json:"description"`
	Image       string `json:"image"`            // its URL
	Width       int    `json:"width,omitempty"`  // of the picture, in pixels; 0 where it is not known
	Height      int    `json:"height,omitempty"` // likewise
	Says        string `json:"says"`             // how the picture is cut, or what is wrong with it
	File        string `json:"-"`                // of the site
}

// A ListedFrame is what one place shows.
type ListedFrame struct {
	Name        string    `json:"name"`
	Room        int       `json:"room"` // pixels
	TitleSize   int       `json:"-"`
	Title       ShownText `json:"title"`
	Description ShownText `json:"description"`
}

// ShownText is what of a text is shown.
type ShownText struct {
	Lines []string `json:"lines"`
	Whole bool     `json:"whole"` // nothing of it is cut
	Width int      `json:"width"` // of the whole text in one line, in pixels
}
