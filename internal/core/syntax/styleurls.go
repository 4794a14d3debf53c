package syntax

import (
	"bytes"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// A StyleURL is a url() of a stylesheet, other than of an import.
type StyleURL struct {
	URL    string // as written, without its quotes
	Face   int    // the number of its @font-face, from 1; 0 outside of any
	Offset int    // of the URL's beginning, in bytes
}

// StyleURLs lists what a stylesheet, or the text of a style attribute, names with url()
// (CSS Values, 4.5; CSS Fonts, 4.3). A browser fetches it once a rule with it matches.
func StyleURLs(src []byte) (out []StyleURL) {
	if !bytes.Contains(bytes.ToLower(src[:min(len(src), 1<<20)]), []byte("url(")) && len(src) < 1<<20 {
		return nil
	}
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(src)))
	at, depth, fontAt, importing, inURL := 0, 0, -1, false, false
	face := 0
	add := func(raw string, offset int) {
		if raw != "" && raw[0] != '#' && !importing {
			in := 0
			if fontAt >= 0 {
				in = face
			}
			out = append(out, StyleURL{raw, in, offset})
		}
	}
	for {
		tt, data := l.Next()
		switch tt {
		case css.ErrorToken:
			return out
		case css.AtKeywordToken:
			switch strings.ToLower(string(data)) {
			case "@import", "@namespace":
				importing = true
			case "@font-face":
				fontAt = depth
				face++
			}
		case css.SemicolonToken:
			importing = false
		case css.LeftBraceToken:
			importing = false
			depth++
		case css.RightBraceToken:
			if depth--; depth <= fontAt {
				fontAt = -1
			}
		case css.URLToken:
			raw := cssURL(string(data))
			add(raw, at+max(bytes.Index(data, []byte(raw)), 0))
		case css.FunctionToken:
			inURL = strings.EqualFold(string(data), "url(")
		case css.StringToken:
			if inURL {
				add(cssURL(string(data)), at+1)
			}
			inURL = false
		case css.WhitespaceToken, css.CommentToken:
		default:
			inURL = false
		}
		at += len(data)
	}
}
