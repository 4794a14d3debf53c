package gateedit

import (
	"regexp"
	"strings"
)

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// Name makes the name of an item of any text: its letters and digits, in lower case, with hyphens
// between; "" where it has none.
func Name(text string) string {
	return strings.Trim(notName.ReplaceAllString(strings.ToLower(text), "-"), "-")
}
