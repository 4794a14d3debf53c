package markup

import "strings"

// A Piece is a stretch of a piece of HTML that is read in one way.
type Piece struct {
	Kind       PieceKind
	Start, End int
	ScriptType ScriptKind // of a script's text
	JSON       bool       // the script's type is a JSON one
	Rules      bool       // it says what is loaded: an import map or speculation rules
}

// PieceKind tells how a stretch of HTML is read.
type PieceKind uint8

const (
	PieceText     PieceKind = iota // text, also of a title or textarea
	PieceStartTag                  // a start tag, from "<" to ">"
	PieceEndTag
	PieceComment // a comment or a doctype
	PieceScript  // the text of a script
	PieceStyle   // the text of a style
	PieceRaw     // the text of another element that is not read as markup
)

// Pieces calls yield for each stretch of a piece of HTML, in order, until it
// returns false. Foreign content is read like HTML.
func Pieces(src []byte, yield func(Piece) bool) {
	s := scanner{src: src, page: &Document{Src: src}, unclosed: -1, messy: -1}
	for {
		t := s.next()
		switch t.kind {
		case endOfFile:
			if t.start < len(src) {
				yield(Piece{Kind: PieceRaw, Start: t.start, End: len(src)})
			}
			return
		case textRun:
			if !yield(Piece{Kind: PieceText, Start: t.start, End: t.end}) {
				return
			}
		case endTag:
			if !yield(Piece{Kind: PieceEndTag, Start: t.start, End: t.end}) {
				return
			}
		case comment, doctype:
			if !yield(Piece{Kind: PieceComment, Start: t.start, End: t.end}) {
				return
			}
		case startTag:
			if !yield(Piece{Kind: PieceStartTag, Start: t.start, End: t.end}) {
				return
			}
			if !t.tag.rawText() ||
				t.tag == TagNoscript { // a noscript is read as markup too: whoever has scripting off sees it so
				continue
			}
			contentEnd, end := rawTextEnd(src, t.end, src[t.start+1:t.nameEnd], t.tag == TagScript)
			if end < 0 {
				contentEnd, end = len(src), len(src)
			}
			p := Piece{Kind: PieceRaw, Start: t.end, End: contentEnd}
			switch t.tag {
			case TagScript:
				p.Kind, p.ScriptType = PieceScript, ScriptType(src, t.start)
				v, _ := AttrValue(src, t.start, "type")
				v = asciiLower(strings.TrimSpace(v))
				p.Rules = v == "importmap" || v == "speculationrules"
				p.JSON = strings.HasSuffix(v, "json") || p.Rules
			case TagStyle:
				p.Kind = PieceStyle
			case TagTitle, TagTextarea:
				p.Kind = PieceText
			}
			if p.End > p.Start && !yield(p) ||
				end > contentEnd && !yield(Piece{Kind: PieceEndTag, Start: contentEnd, End: end}) {
				return
			}
			s.pos = end
		}
	}
}
