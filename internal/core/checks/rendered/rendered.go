// Package rendered holds the checks of what only a browser shows.
package rendered

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		cookieSet, coversThePage, failedLoad, loadedByScript, lostItem, metadataRewritten, mostlyUnused, movesThePage,
		neverLoaded, popupStaysShut, popupTraps, rebuiltPlace, runtimeLeak, scriptError, slowPaint, unexpectedRequest,
	}
}

// Facts lists what they keep of each page.
func Facts() []check.AnyKind { return []check.AnyKind{usedFact} }
