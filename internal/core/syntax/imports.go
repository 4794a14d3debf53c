package syntax

import (
	"bytes"
	"io"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"github.com/tdewolff/parse/v2/js"
)

// StyleImports lists the URLs that a stylesheet imports, as written. Only rules
// before any other count (CSS Cascading and Inheritance, level 4, section 2); a
// condition after the URL is not asked, since a browser fetches the file anyway.
func StyleImports(src []byte) (urls []string) {
	if !bytes.Contains(bytes.ToLower(src[:min(len(src), 64<<10)]), []byte("@import")) {
		return nil
	}
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(src)))
	for {
		tt, data := l.Next()
		switch tt {
		case css.WhitespaceToken, css.CommentToken, css.CDOToken, css.CDCToken:
			continue
		case css.AtKeywordToken:
		default:
			return urls
		}
		word := strings.ToLower(string(data))
		if word != "@import" && word != "@charset" && word != "@layer" {
			return urls
		}
		for first := true; ; {
			tt, data = l.Next()
			if tt == css.ErrorToken || tt == css.LeftBraceToken {
				return urls
			}
			if tt == css.SemicolonToken {
				break
			}
			if tt == css.WhitespaceToken || tt == css.CommentToken {
				continue
			}
			if first && word == "@import" && (tt == css.StringToken || tt == css.URLToken) {
				urls = append(urls, cssURL(string(data)))
			} else if first && word == "@import" && tt == css.FunctionToken && strings.EqualFold(string(data), "url(") {
				continue // its string comes next
			}
			first = false
		}
	}
}

// cssURL is the URL in a string or url() token; escapes other than of the quote
// are rare in URLs and stay.
func cssURL(s string) string {
	if len(s) > 4 && strings.EqualFold(s[:4], "url(") {
		s = strings.TrimSpace(strings.TrimSuffix(s[4:], ")"))
	}
	if len(s) >= 2 && (s[0] == '"' || s[0] == '\'') && s[len(s)-1] == s[0] {
		s = s[1 : len(s)-1]
	}
	return s
}

// ModuleImports lists the specifiers that a module script imports statically, as
// written (ECMAScript, section 16.2). Imports at run time are no part of it.
func ModuleImports(src []byte) (urls []string) {
	if !bytes.Contains(src, []byte("import")) && !bytes.Contains(src, []byte("export")) {
		return nil
	}
	ast := Script(src)
	if ast == nil {
		return nil
	}
	for _, s := range ast.List {
		var from []byte
		switch s := s.(type) {
		case *js.ImportStmt:
			from = s.Module
		case *js.ExportStmt:
			from = s.Module
		}
		if len(from) > 2 {
			urls = append(urls, string(from[1:len(from)-1]))
		}
	}
	return urls
}

// Script parses a script or module; nil where that does not work.
func Script(src []byte) (ast *js.AST) {
	defer func() {
		if recover() != nil {
			ast = nil
		}
	}()
	ast, err := js.Parse(parse.NewInputBytes(parsable(src)), js.Options{})
	if err != nil && err != io.EOF {
		return nil
	}
	return ast
}
