// Package checks holds what the audit looks for. A check is a value with a name,
// a severity, a text that explains it, and a function from a page, or from the
// whole site, to findings. Each stands in a file of its own; the registry lists
// them; what runs them knows nothing of any.
package checks

import "yellowgate/internal/core/check"

// All lists the checks, by family and name.
func All() []*check.Check { return all }

// Names lists the names of all checks.
func Names() []string {
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.Name
	}
	return names
}

// Named returns the check of a name, or nil.
func Named(name string) *check.Check {
	for _, c := range all {
		if c.Name == name {
			return c
		}
	}
	return nil
}

var all = []*check.Check{
	answerNotVisible, brokenHead, canonicalDead, canonicalElsewhere, canonicalMissing, canonicalNoindexed, canonicalRelative, canonicalRepeated,
	charsetConflict, charsetLate, charsetMissing, deadRefresh, descriptionLength, descriptionMissing, descriptionRepeated, descriptionShared, iconMissing,
	langMissing, metaInBody, namelessMeta, noindexedInSitemap, noZoom, oldDoctype, robotsConflict, socialImage, socialIncomplete,
	structuredIncomplete, structuredInvalid, titleEmpty, titleLength, titleMissing,
	titleRepeated, titleShared, unlistedInSitemap, viewportMissing, viewportRepeated,
	blockedByPolicy, blockingScript, blockingStyle, deadFile, doubleLoad, ignoredElement, importedEverywhere, insecureLoad, integrityWithoutCrossorigin, lateStyle, localAddress, missingStyle, noIntegrity,
	orphanFile, overBudget, repeatedRules, twinLibrary, unexpectedHost, unpinnedVersion, unusedPreload, unusedStyle, wrongIntegrity,
	editedOutput, idleLine, itemDiffers, keptOutNeed, lateNeed, leakedItem, metadataDiffers, metVariants, misplacedItem, missingItem, missingPage,
	noSuchPlace, placeholderLeft, repeatedItem, requiredMissing, staleOutput, unclaimedElement, unread, unknownSpot,
	popupClash, repeatedId, unlabelledPopup, unreachablePopup,
	bareCode, codeBreaksHead, codeSyntax, lostRule, tagsInText, tooEarly, unclosedTag,
	cookieSet, coversThePage, failedLoad, loadedByScript, metadataRewritten, mostlyUnused, movesThePage, neverLoaded, popupStaysShut, popupTraps, runtimeLeak, scriptError, slowPaint, unexpectedRequest,
	canonicalRedirects, deadPage, headerDiffers, slowRedirect, uncached, uncompressed,
}

// RunPage runs all checks on one page and returns its findings, and the facts that are to
// be kept of it.
func RunPage(p *check.Pass) ([]check.Finding, Facts) {
	for _, c := range all {
		p.Run(c)
	}
	return p.Found(), factsOf(p)
}

// RunSite runs the checks of the whole site.
func RunSite(s *check.SitePass) []check.Finding {
	if s.Site == nil {
		s.Site = check.NewSite(check.Known{})
	}
	for _, c := range all {
		s.Run(c)
	}
	return s.Found()
}
