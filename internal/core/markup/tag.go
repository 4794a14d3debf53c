package markup

// A Tag is the name of an element that the scanner tells from others; every
// other name is TagOther.
type Tag uint8

// The tags that the scanner knows by name. Those up to TagDialog are the
// elements of interest: they load or describe something, or hold what does.
const (
	TagOther Tag = iota
	TagTitle
	TagMeta
	TagLink
	TagBase
	TagScript
	TagStyle
	TagNoscript
	TagTemplate
	TagIframe
	TagDialog
	// From here on, tags that only steer the scanner.
	TagHTML
	TagHead
	TagBody
	TagFrameset
	TagSVG
	TagMath
	TagH1
	TagBr
	TagTextarea
	TagXmp
	TagNoembed
	TagNoframes
	TagPlaintext
	TagBasefont
	TagBgsound
)

var tagNames = [...]string{
	TagOther: "", TagTitle: "title", TagMeta: "meta", TagLink: "link", TagBase: "base",
	TagScript: "script", TagStyle: "style", TagNoscript: "noscript", TagTemplate: "template",
	TagIframe: "iframe", TagDialog: "dialog", TagHTML: "html", TagHead: "head", TagBody: "body",
	TagFrameset: "frameset", TagSVG: "svg", TagMath: "math", TagH1: "h1", TagBr: "br",
	TagTextarea: "textarea", TagXmp: "xmp", TagNoembed: "noembed", TagNoframes: "noframes",
	TagPlaintext: "plaintext", TagBasefont: "basefont", TagBgsound: "bgsound",
}

// String returns the tag's name in lower case, "" for TagOther.
func (t Tag) String() string { return tagNames[t] }

// OfInterest reports whether the scanner lists elements of this tag.
func (t Tag) OfInterest() bool { return t >= TagTitle && t <= TagDialog }

// rawText reports whether the tag's content is text up to its own end tag
// (HTML, 13.2.5 "raw text", "RCDATA" and "script data"), scripting being on.
func (t Tag) rawText() bool {
	switch t {
	case TagTitle, TagTextarea, TagStyle, TagXmp, TagIframe, TagNoembed, TagNoframes, TagNoscript, TagScript:
		return true
	}
	return false
}

// inHead reports whether a start tag of this name is processed "using the
// rules for the in head insertion mode" without ending the head
// (HTML, 13.2.6.4.4).
func (t Tag) inHead() bool {
	switch t {
	case TagBase, TagBasefont, TagBgsound, TagLink, TagMeta, TagTitle, TagNoscript,
		TagNoframes, TagStyle, TagScript, TagTemplate:
		return true
	}
	return false
}

// afterHead is inHead for tags between </head> and <body> (13.2.6.4.6), where
// a noscript opens the body.
func (t Tag) afterHead() bool { return t != TagNoscript && t.inHead() }

// packName packs up to eight bytes of a tag name, lower-cased, into a number,
// so that names are told apart by one comparison. Longer names do not fit.
func packName(name string) (p uint64) {
	for i := 0; i < len(name); i++ {
		p = p<<8 | uint64(name[i])
	}
	return p
}

// byPacked finds the tag of a packed name. It is a table of 256 slots, keyed
// by a hash that keeps the known names apart (init checks that it does).
var byPacked [256]struct {
	name uint64
	tag  Tag
}

func packedSlot(p uint64) uint8 { return uint8((p * 0x9E3779B97F4A7C15) >> 56) }

func init() {
	for t := TagTitle; t <= TagBgsound; t++ {
		if len(tagNames[t]) > 8 {
			continue // plaintext, basefont is eight
		}
		p := packName(tagNames[t])
		for i := packedSlot(p); ; i++ {
			if byPacked[i].tag == TagOther {
				byPacked[i].name, byPacked[i].tag = p, t
				break
			}
		}
	}
}

// tagOf returns the tag of a packed name.
func tagOf(p uint64) Tag {
	for i := packedSlot(p); byPacked[i].tag != TagOther; i++ {
		if byPacked[i].name == p {
			return byPacked[i].tag
		}
	}
	return TagOther
}

// ParseTag returns the tag of a name in lower case.
func ParseTag(name string) Tag {
	if name == "plaintext" {
		return TagPlaintext
	}
	if len(name) > 8 {
		return TagOther
	}
	return tagOf(packName(name))
}

// Classes of bytes (HTML, 13.2.5).
const (
	isSpaceByte  = 1 << iota // tab, line feed, form feed, carriage return, space
	endsName                 // ends a tag name: space, "/", ">"
	endsAttrName             // ends an attribute's name: space, "/", ">", "="
	endsUnquoted             // ends an unquoted value: space, ">"
	isLetterByte             // ASCII letter
	isNameByte               // letter, digit, "-", "_"
)

var class = func() (c [256]uint8) {
	for _, b := range []byte("\t\n\f\r ") {
		c[b] |= isSpaceByte | endsName | endsAttrName | endsUnquoted
	}
	c['/'] |= endsName | endsAttrName
	c['>'] |= endsName | endsAttrName | endsUnquoted
	c['='] |= endsAttrName
	for b := 0; b < 26; b++ {
		c['a'+b] |= isLetterByte | isNameByte
		c['A'+b] |= isLetterByte | isNameByte
	}
	for b := '0'; b <= '9'; b++ {
		c[b] |= isNameByte
	}
	c['-'] |= isNameByte
	c['_'] |= isNameByte
	return c
}()

// lower is each byte in lower case, 0 for those that end a tag name. A NUL in a
// name is as good as any byte that no known name holds.
var lower = func() (l [256]byte) {
	for b := range l {
		switch {
		case class[b]&endsName != 0:
		case b == 0:
			l[b] = 0xFF
		case 'A' <= b && b <= 'Z':
			l[b] = byte(b) | 0x20
		default:
			l[b] = byte(b)
		}
	}
	return l
}()

// knownLengths has, by the first byte of a name in lower case, a bit for each
// length that a known name with that byte has.
var knownLengths = func() (k [256]uint16) {
	for t := TagTitle; t <= TagBgsound; t++ {
		k[tagNames[t][0]] |= 1 << len(tagNames[t])
	}
	return k
}()

func isSpace(b byte) bool { return class[b]&isSpaceByte != 0 }

// IsSpace reports whether a byte is white space (Infra, 4.6: ASCII whitespace).
func IsSpace(b byte) bool  { return isSpace(b) }
func isLetter(b byte) bool { return class[b]&isLetterByte != 0 }

// TagAt returns the tag whose "<" stands at the offset.
func TagAt(src []byte, at int) Tag {
	t, _ := readName(src, at+1)
	return t
}

// TagName is the name of the tag at an offset, in lower case.
func TagName(src []byte, at int) string {
	end := at + 1
	for end < len(src) && !isSpace(src[end]) && src[end] != '/' && src[end] != '>' {
		end++
	}
	return asciiLower(string(src[min(at+1, end):end]))
}
