package problem

import "slices"

// What check warns of or notes has a name, so that an owner can accept it. A name that the audit has for the
// same thing is used here, too.
const (
	BlockedByPolicy   = "blocked-by-policy"
	ChoosesNothing    = "chooses-nothing"
	DotFiles          = "dot-files"
	EmptyFile         = "empty-file"
	FactsWithoutPage  = "facts-without-page"
	IdleLine          = "idle-line"
	IdleSpot          = "idle-spot"
	ItemOver          = "item-over"
	LostPath          = "lost-path"
	NeededItem        = "needed-item"
	RebuiltPlace      = "rebuilt-place"
	NoSuchPlace       = "no-such-place"
	NoValue           = "no-value"
	NoindexUndone     = "noindex-undone"
	OtherSpelling     = "other-spelling"
	OutsideDates      = "outside-dates"
	RequiredMissing   = "required-missing"
	SharedURL         = "shared-url"
	SpotInParagraph   = "spot-in-paragraph"
	TakenOutForNone   = "taken-out-for-none"
	UnorderedNeed     = "unordered-need"
	UnreachablePopup  = "unreachable-popup"
	UnusedBuiltFile   = "unused-built-file"
	UnusedParameter   = "unused-parameter"
	UnwrittenListFact = "unwritten-list-fact"
	WaitsForBody      = "waits-for-body"
	WideNoindex       = "wide-noindex"
)

// A Kind is a name that check has for what it warns of.
type Kind struct {
	Name  string `json:"name"`
	Means string `json:"means"`
}

// kinds are those that the audit has no check of.
var kinds = []Kind{
	{
		ChoosesNothing,
		"a page set, or a line of pages, chooses no page; or the exceptions of an item cover all its pages",
	},
	{DotFiles, "dot-files of the source folder are not copied"},
	{EmptyFile, "a code file of an item is empty"},
	{FactsWithoutPage, "facts are given for a path that is not a page"},
	{IdleSpot, "a page has a spot of an item that is out there"},
	{ItemOver, "the last day of an item has passed"},
	{LostPath, "a path within a longer query is not a page"},
	{NeededItem, "an item goes out of a page that seems to need it"},
	{NoValue, "a value of metadata is empty on some pages, because a fact or field is missing there"},
	{NoindexUndone, "a later rule for robots takes back an earlier noindex"},
	{OtherSpelling, "links and the sitemap call pages otherwise than the gate does: /about, and not /about.html"},
	{OutsideDates, "per-page puts in an item that is outside its dates"},
	{SharedURL, "two items have a part with one URL"},
	{SpotInParagraph, "a spot stands in a paragraph, and the item's code ends paragraphs"},
	{TakenOutForNone, "an item takes an element out, and is itself out there: the page has neither"},
	{UnorderedNeed, "an item needs another, and one of them is async"},
	{UnusedBuiltFile, "the build manifest names a file that no item has"},
	{UnusedParameter, "a parameter stands nowhere in its item's code"},
	{UnwrittenListFact, "an item writes no structured data where its list is missing"},
	{WaitsForBody, "behind the gateway, the head of a page waits for something of its body"},
	{WideNoindex, "noindex reaches the home page, or every page"},
}

// Kinds lists what check alone warns of, by name.
func Kinds() []Kind { return slices.Clone(kinds) }

// KindOf is the kind of that name; the zero one where there is none.
func KindOf(name string) Kind {
	for _, k := range kinds {
		if k.Name == name {
			return k
		}
	}
	return Kind{}
}

// Names are those of Kinds.
func Names() (names []string) {
	for _, k := range kinds {
		names = append(names, k.Name)
	}
	return names
}
