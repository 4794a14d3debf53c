package result

// A Cell is what the gate makes of one item on one page.
type Cell string

const (
	CellIn     Cell = "in"    // it is there
	CellAbsent Cell = "may"   // it may stay, and the page's source has none of it
	CellTaken  Cell = "taken" // it is taken out of the page's source
	CellOut    Cell = "out"   // it is not there, and was not
)

// A WhereTable is the table of pages by items.
type WhereTable struct {
	Items []string   `json:"items"`
	Rows  []TableRow `json:"rows"`
}

// A TableRow is one page of the table.
type TableRow struct {
	Page  string `json:"page"`
	Cells []Cell `json:"cells"` // by item
}

// A WhereKey is the pages of a site by the value that they have for a metadata
// key.
type WhereKey struct {
	Key    string          `json:"key"`
	Values []WhereKeyValue `json:"values"` // those of most pages first
	Pages  int             `json:"pages"`
}

// A WhereKeyValue is one value with the pages that have it.
type WhereKeyValue struct {
	Value string   `json:"value"` // "" for pages that have none
	From  string   `json:"from"`  // per-page, metadata, the page's source, defaults
	Pages []string `json:"pages"`
}
