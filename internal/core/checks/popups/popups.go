// Package popups holds the checks of popups, their openers and their ids.
package popups

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		popupClash, repeatedId, unlabelledPopup, unreachablePopup,
	}
}

// Facts lists what they keep of each page.
func Facts() []check.AnyKind { return []check.AnyKind{popupFact} }
