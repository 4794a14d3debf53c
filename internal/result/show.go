package result

import "yellowgate/internal/core/inventory"

// Show is one page, with its bytes and its inventory.
type Show struct {
	Record *inventory.Record
	Text   []byte
	From   string // where the page was read: "output", "next", "source"
	Notice string // why it is not what was asked for, or ""
}
