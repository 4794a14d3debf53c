// Package head holds the checks of what stands in the head: titles, descriptions, canonicals, robots, social and
// structured data.
package head

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		alternateOneWay, answerNotVisible, brokenHead, canonicalDead, canonicalElsewhere, canonicalMissing,
		canonicalNoindexed, canonicalRelative, canonicalRepeated, charsetConflict, charsetLate, charsetMissing,
		deadRefresh, deadRelation, descriptionLength, descriptionMissing, descriptionRepeated, descriptionShared,
		iconMissing, langMissing, langUnknown, metaInBody, namelessMeta, noindexedInSitemap, noZoom, oldDoctype,
		robotsConflict, robotsUnknown, socialImage, socialIncomplete, structuredIncomplete, structuredInvalid,
		titleEmpty, titleLength, titleMissing, titleRepeated, titleShared, unbuiltPage, unlistedInSitemap,
		viewportFixed, viewportMissing, viewportRepeated,
	}
}

// Facts lists what they keep of each page.
func Facts() []check.AnyKind {
	return []check.AnyKind{titleFact, descriptionFact, canonicalFact, noindexFact, findableFact, alternateFact}
}
