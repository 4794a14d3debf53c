package result

// A PageLine is one page that a query chose.
type PageLine struct {
	Path   string   `json:"path"`
	File   string   `json:"file"`
	Title  string   `json:"title"`
	Sets   []string `json:"sets"`
	Items  []string `json:"items"`
	Branch string   `json:"branch,omitempty"` // what in the query chose it
}

// A FieldLine is one word that a query can use.
type FieldLine struct {
	Name    string `json:"name"`
	Kind    string `json:"kind"` // field, set, fact, meta
	Pages   int    `json:"pages"`
	Example string `json:"example"` // a value of this site, or a set's query
}
