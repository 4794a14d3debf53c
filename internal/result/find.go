package result

// FindKinds are the ways in which a word can occur, in the order in which they
// are told.
var FindKinds = []string{"load", "inline code", "metadata", "attribute", "text", "comment", "file"}

// A FindHit is one occurrence of a word.
type FindHit struct {
	Kind   string `json:"kind"`
	Page   string `json:"page"` // "" in a file that is no page
	File   string `json:"file"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Item   string `json:"item"` // the item in whose marks it stands
	Text   string `json:"text"` // what is around it, on one line
}

// Find is where a word occurs.
type Find struct {
	Word  string         `json:"word"`
	Dir   string         `json:"dir"`
	Files int            `json:"files"` // looked at
	Count map[string]int `json:"count"` // by kind
	Pages map[string]int `json:"pages"` // by kind: files that have it so
	Hits  []FindHit      `json:"hits"`
	// Unlisted counts the occurrences that are not among the hits: of one file at most a
	// thousand are.
	Unlisted int `json:"unlisted"`
}
