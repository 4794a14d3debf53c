package result

import (
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/pageload"
)

// Opened is a page with what a browser made of it.
type Opened struct {
	*pageload.Record
	Text  *inventory.Record     // of the page's text, as the browser got it
	Dom   *inventory.Record     // of the document once it was quiet; nil where that was not read
	Gated *itemmatch.Comparison // the document compared with the gate; nil without one
}

// A Use is how much of a script or stylesheet the browser used, over all pages that load it.
type Use struct {
	Target string   `json:"target"`
	Kind   string   `json:"kind"` // script or style
	Item   string   `json:"item"` // that it belongs to, or ""
	Bytes  int      `json:"bytes"`
	Most   int      `json:"most"` // bytes of it that were used on a page
	On     []string `json:"on"`   // pages that used it
	Idle   []string `json:"idle"` // pages that loaded it and did not
	// Certainty is that the idle pages do not need it: proved, likely, or "" where nothing shows it.
	Certainty string `json:"certainty"`
	Proof     string `json:"proof"` // what was tried, and what came of it
	Lines     string `json:"lines"` // of gate file that would keep it to the pages that use it; "" for none
}
