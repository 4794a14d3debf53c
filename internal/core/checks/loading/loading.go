// Package loading holds the checks of what a page loads: files that are gone, block, come twice, or are not used.
package loading

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		blockedByPolicy, blockingScript, blockingStyle, deadFile, doubleLoad, ignoredElement, importedEverywhere,
		insecureLoad, integrityWithoutCrossorigin, lateStyle, localAddress, missingStyle, noIntegrity, orphanFile,
		overBudget, repeatedRules, twinLibrary, unexpectedHost, unpinnedVersion, unusedPreload, unusedStyle,
		wrongIntegrity, wrongKind,
	}
}

// Facts lists what they keep of each page.
func Facts() []check.AnyKind { return []check.AnyKind{nameFact, styleFact} }
