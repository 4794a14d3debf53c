// Package gate holds the checks of how a page stands to the gate file: items that are missing, leak, differ or are
// late.
package gate

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		editedOutput, idleLine, itemDiffers, keptOutNeed, lateNeed, leakedItem, metadataDiffers, metVariants,
		misplacedItem, missingItem, missingPage, noSuchPlace, placeholderLeft, repeatedItem, requiredMissing,
		staleOutput, unclaimedElement, unread, unknownSpot,
	}
}
