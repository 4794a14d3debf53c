package markup

import "strings"

// A Fragment is a scan of a piece of HTML that is to stand in a page.
type Fragment struct {
	Page *Document
	// EndsHead is the offset of the first thing that a head may not hold, or -1.
	EndsHead int
	// Cut is the offset of the first comment, tag, template or text element
	// that the piece never closes, or -1.
	Cut int
}

// ScanFragment reads a piece of HTML as it would be read at the start of a head.
func ScanFragment(src []byte) Fragment {
	p := &Document{Src: src, FirstH1: -1, HeadBegin: -1, HeadStop: -1}
	s := scanner{src: src, page: p, unclosed: -1, messy: -1}
	for m := mode(inHead); m != nil; {
		m = m(&s)
	}
	s.finish()
	f := Fragment{Page: p, EndsHead: -1, Cut: s.unclosed}
	if !s.implied.None() || p.BodySeen {
		f.EndsHead = p.HeadStop
		if !p.HeadClose.None() {
			f.EndsHead = p.HeadClose.Start
		}
	}
	return f
}

// BodyOK reports whether the link at the offset may stand in the body
// (HTML, 4.2.4, "body-ok").
func BodyOK(src []byte, at int) bool {
	if _, item := AttrValue(src, at, "itemprop"); item {
		return true
	}
	rel, _ := AttrValue(src, at, "rel")
	for w := range strings.FieldsSeq(asciiLower(rel)) {
		switch w {
		case "dns-prefetch", "modulepreload", "pingback", "preconnect", "prefetch", "preload", "stylesheet":
		default:
			return false
		}
	}
	return rel != ""
}
