package checks

import "yellowgate/internal/core/problem"

// Harm is what something does to visitors or to the site.
type Harm string

const (
	Breaks Harm = "the page is broken, or a part of it does not work"
	Hides  Harm = "search results and shared links suffer"
	Slows  Harm = "pages are slower than they need be"
	Garble Harm = "letters show as others"
	Phones Harm = "the page is hard to read on a phone"
	Looks  Harm = "sizes and spacing are not as written"
	Guess  Harm = "browsers and screen readers have to guess"
	Leaks  Harm = "code runs where it should not, or others learn of visits"
	Else   Harm = "the site is not as its owner decided"
)

// harms is what each check looks for, by family; and what is not as its family is.
var harms = map[string]Harm{
	"head": Hides, "loading": Slows, "popups": Breaks, "code": Breaks, "server": Slows, "rendered": Slows,
	"gate": Else,

	"broken-head": Breaks, "charset-late": Guess, "charset-missing": Garble, "charset-conflict": Garble,
	"viewport-missing": Phones, "viewport-repeated": Phones, "viewport-fixed": Phones,
	"no-zoom": Phones, "old-doctype": Looks, "icon-missing": Guess, "unbuilt-page": Breaks,
	"lang-missing": Guess, "lang-unknown": Guess,
	"nameless-meta": Guess,
	"dead-file":     Breaks, "local-address": Breaks, "ignored-element": Breaks, "insecure-load": Breaks,
	"blocked-by-policy": Breaks, "wrong-integrity": Breaks,
	"integrity-without-crossorigin": Breaks, "missing-style": Breaks, "unexpected-host": Leaks,
	"no-integrity": Leaks, "unpinned-version": Leaks,
	"missing-item": Breaks, "missing-page": Breaks, "kept-out-need": Breaks, "late-need": Breaks,
	"no-such-place": Breaks, "misplaced-item": Breaks,
	"placeholder-left": Breaks, "unread": Breaks, "repeated-item": Breaks, "leaked-item": Leaks,
	"metadata-differs": Hides, "required-missing": Hides,
	"dead-page": Breaks, "header-differs": Hides, "canonical-redirects": Hides,
	"lost-item": Breaks, "rebuilt-place": Breaks, "failed-load": Breaks, "script-error": Breaks, "never-loaded": Breaks, "popup-stays-shut": Breaks,
	"covers-the-page":    Breaks,
	"metadata-rewritten": Hides, "runtime-leak": Leaks, "cookie-set": Leaks, "unexpected-request": Leaks,
	"loaded-by-script": Leaks,
}

// HarmOf is what a check looks for.
func HarmOf(name string) Harm {
	if h, ok := harms[name]; ok {
		return h
	}
	if c := Named(name); c != nil {
		return harms[c.Family]
	}
	return Else
}

var weightOf = map[Harm]int{
	Breaks: 5, Garble: 5, Phones: 4, Hides: 3, Leaks: 3, Slows: 2, Looks: 2, Guess: 1, Else: 1,
}

// Weight is how much a finding of a check counts, on one page, where causes are ranked.
func Weight(name string, s problem.Severity) int {
	return weightOf[HarmOf(name)] * map[problem.Severity]int{problem.Error: 500, problem.Warning: 10, problem.Note: 1}[s]
}
