package syntax

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// A LostRule is a rule that a browser drops because its selector cannot be read (Selectors
// Level 4, 3.9 and 18: one mistake makes the whole list void).
type LostRule struct {
	Offset  int // of the selector's beginning, in bytes
	Message string
}

// LostRules lists the rules of a stylesheet whose selectors break the grammar. Names that a
// browser does not know are not asked: they may be another browser's.
func LostRules(src []byte) (out []LostRule) {
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(src)))
	type token struct {
		tt   css.TokenType
		text string
	}
	var prelude []token
	at, begin := 0, -1
	var holds []bool // the blocks around hold rules
	for {
		tt, data := l.Next()
		here := at
		at += len(data)
		switch tt {
		case css.ErrorToken:
			return out
		case css.CommentToken, css.CDOToken, css.CDCToken:
			continue
		case css.SemicolonToken:
			if len(holds) > 0 && !holds[len(holds)-1] || len(prelude) > 0 && prelude[0].tt == css.AtKeywordToken {
				prelude, begin = prelude[:0], -1
				continue
			}
			// Between rules it ends nothing: it belongs to the next one's selector (CSS Syntax, 5.5.2).
		case css.RightBraceToken:
			if len(holds) > 0 {
				holds = holds[:len(holds)-1]
			}
			prelude, begin = prelude[:0], -1
			continue
		case css.LeftBraceToken:
			outer := len(holds) == 0 || holds[len(holds)-1]
			rules := false
			switch {
			case len(prelude) > 0 && prelude[0].tt == css.AtKeywordToken:
				switch strings.ToLower(prelude[0].text) {
				case "@media", "@supports", "@layer", "@container", "@scope", "@document", "@starting-style":
					rules = outer
				}
			case outer:
				var words []css.TokenType
				var texts []string
				for _, t := range prelude {
					words, texts = append(words, t.tt), append(texts, t.text)
				}
				if what := badSelector(words, texts); what != "" {
					out = append(out, LostRule{max(begin, 0), what})
				}
			}
			holds = append(holds, rules)
			prelude, begin = prelude[:0], -1
			continue
		}
		if tt == css.WhitespaceToken && len(prelude) == 0 {
			continue
		}
		if begin < 0 {
			begin = here
		}
		if len(prelude) < 4096 {
			prelude = append(prelude, token{tt, string(data)})
		}
	}
}

// badSelector says what is wrong with a selector list; "" for nothing.
func badSelector(tt []css.TokenType, text []string) string {
	for len(tt) > 0 && tt[len(tt)-1] == css.WhitespaceToken {
		tt, text = tt[:len(tt)-1], text[:len(text)-1]
	}
	if len(tt) == 0 {
		return "a rule without a selector"
	}
	if slices.Contains(tt, css.SemicolonToken) {
		return "a semicolon stands before the selector, and belongs to it"
	}
	// empty: nothing was read since the beginning or a comma; combined: since a combinator.
	depth, empty, combined := 0, true, false
	for i := 0; i < len(tt); i++ {
		if step := nesting(tt[i]); step != 0 || depth > 0 {
			if depth += step; step > 0 {
				empty, combined = false, false
			}
			continue
		}
		next := css.ErrorToken
		if i+1 < len(tt) {
			next = tt[i+1]
		}
		switch {
		case tt[i] == css.WhitespaceToken:
		case tt[i] == css.CommaToken:
			if empty || combined {
				return "a comma with no selector before it"
			}
			empty = true
		case tt[i] == css.DelimToken && text[i] == ".":
			if next != css.IdentToken && next != css.CustomPropertyNameToken {
				return "a full stop with no class behind it"
			}
			i++
			empty, combined = false, false
		case tt[i] == css.HashToken && numbered(text[i]):
			return fmt.Sprintf("%s is not an id that a selector can name: it begins with a number", text[i])
		case tt[i] == css.DelimToken && (text[i] == ">" || text[i] == "+" || text[i] == "~"):
			if combined {
				return "two combinators with nothing between them"
			}
			if empty {
				return "a combinator with nothing before it"
			}
			combined = true
		case tt[i] == css.ColonToken:
			if next != css.IdentToken && next != css.FunctionToken && next != css.ColonToken {
				return "a colon with no name behind it"
			}
			empty, combined = false, false
		case tt[i] == css.NumberToken || tt[i] == css.DimensionToken || tt[i] == css.PercentageToken:
			return fmt.Sprintf("%s is not a selector", text[i])
		case tt[i] == css.StringToken:
			return "a text in quotes is not a selector"
		case tt[i] == css.DelimToken && !strings.Contains("*&|", text[i]):
			return fmt.Sprintf("%q has no meaning in a selector", text[i])
		case tt[i] == css.AtKeywordToken:
			return ""
		default:
			empty, combined = false, false
		}
	}
	return cutOff(empty, combined)
}

// cutOff says what a selector list lacks at its end; "" for nothing.
func cutOff(empty, combined bool) string {
	switch {
	case empty:
		return "a comma with no selector behind it"
	case combined:
		return "a combinator with nothing behind it"
	}
	return ""
}

// nesting is 1 for what opens a bracket, -1 for what closes one.
func nesting(t css.TokenType) int {
	switch t {
	case css.FunctionToken, css.LeftParenthesisToken, css.LeftBracketToken:
		return 1
	case css.RightParenthesisToken, css.RightBracketToken:
		return -1
	}
	return 0
}

// numbered reports whether a hash is no identifier (CSS Syntax, 4.3.9).
func numbered(hash string) bool {
	c := hash[1]
	return '0' <= c && c <= '9' || c == '-' && (len(hash) == 2 || '0' <= hash[2] && hash[2] <= '9')
}
