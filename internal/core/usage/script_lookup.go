package usage

import (
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/markup"
)

// By what a script looks for elements: the methods of DOM, and those of libraries.

// root is what a chain of members begins with.
func root(n js.INode) js.INode {
	for {
		switch x := ungroup(n).(type) {
		case *js.DotExpr:
			n = x.X
		default:
			return x
		}
	}
}

// origin is what a chain of members and calls begins with.
func origin(n js.INode) js.INode {
	for {
		switch x := ungroup(n).(type) {
		case *js.DotExpr:
			n = x.X
		case *js.CallExpr:
			n = x.X
		default:
			return x
		}
	}
}

// bySelector take a selector; byName take a name that makes one.
var (
	bySelector = map[string]bool{"querySelector": true, "querySelectorAll": true, "matches": true, "closest": true}
	byName     = map[string]string{
		"getElementById":         "#",
		"getElementsByClassName": ".",
		"getElementsByTagName":   "",
		"contains":               ".",
	}
)

// lookup notes the hook that a call is; it reports whether the first argument is
// one, so that its words are no texts.
func (w *walker) lookup(callee js.INode, args []js.Arg) bool {
	lit, fixed := w.literal(args[0].Value)
	switch callee := callee.(type) {
	case *js.DotExpr:
		method := text(callee.Y)
		prefix, named := byName[method]
		if method == "contains" {
			if d, ok := callee.X.(*js.DotExpr); !ok || text(d.Y) != "classList" {
				return false // of a text, a list or a node
			}
		}
		if method == "define" {
			if text(callee.X) == "customElements" && fixed {
				w.reach.hook(lit)
				return true
			}
			return false
		}
		switch {
		case !bySelector[method] && !named && method != "getElementsByName":
		case !fixed:
			w.reach.Computed = true
			return false
		case (w.dependent || lit == "*") && w.stands(callee.X) == "":
			return true // within what it has in hand
		case bySelector[method]:
			w.reach.hook(lit)
			return true
		case method == "getElementsByName":
			w.reach.hook(`[name="` + lit + `"]`)
			return true
		default:
			if f := strings.Fields(lit); len(f) > 0 {
				w.reach.hook(prefix + strings.Join(f, prefix))
			}
			return true
		}
		if len(args) > 2 && delegates[method] { // on("click", ".more", …)
			if second, ok := w.literal(args[1].Value); !ok || !w.selecting(second) {
				w.reach.Computed = true
			}
		}
		if ofTexts[method] || !w.ofAnother(origin(callee.X)) {
			return false
		}
		return fixed && w.ofAnother(callee.X) && w.selecting(lit)
	case *js.Var:
		if w.ofAnother(callee) && !fixed && (w.puts(args[0].Value) || isText(args[0].Value)) {
			w.reach.Computed = true
		}
		return fixed && w.ofAnother(callee) && w.selecting(lit)
	}
	return false
}

func isText(n js.INode) bool {
	l, ok := n.(*js.LiteralExpr)
	return ok && l.TokenType == js.StringToken
}

// puts reports whether an expression puts a text together as it runs.
func (w *walker) puts(n js.INode) bool {
	switch n := n.(type) {
	case *js.TemplateExpr:
		return true
	case *js.BinaryExpr:
		if n.Op != js.AddToken {
			return false
		}
		_, x := w.literal(n.X)
		_, y := w.literal(n.Y)
		return x || y || w.puts(n.X)
	}
	return false
}

// delegates are methods of libraries that take an event, a selector and a function.
var delegates = map[string]bool{"on": true, "one": true, "delegate": true, "live": true}

// ofAnother reports whether an expression is a global that is no browser's: a function
// or object of another script.
func (w *walker) ofAnother(n js.INode) bool {
	v, ok := n.(*js.Var)
	return ok && (w.libraries[same(v)] || free(v) && w.stands(n) == "" && !platform[name(v)])
}

// platform are the globals of browsers that take texts and look for nothing.
var platform = map[string]bool{
	"console": true, "Math": true, "JSON": true, "location": true, "history": true, "localStorage": true,
	"sessionStorage": true, "Object": true, "Array": true, "String": true, "Number": true, "RegExp": true,
	"Symbol": true, "Promise": true, "CSS": true, "URL": true, "Error": true, "require": true, "define": true,
	"module": true, "exports": true, "screen": true, "navigator": true, "customElements": true, "event": true,
	"alert": true, "fetch": true, "import": true, "encodeURIComponent": true, "parseInt": true,
	"parseFloat": true, "Reflect": true, "performance": true,
}

// ofTexts are methods of texts, lists and storages, which look for no elements.
var ofTexts = map[string]bool{
	"includes": true, "split": true, "indexOf": true, "lastIndexOf": true, "startsWith": true,
	"endsWith": true, "replace": true, "replaceAll": true, "push": true, "concat": true, "join": true,
	"test": true, "match": true, "search": true, "getItem": true, "setItem": true, "removeItem": true,
	"set": true, "get": true, "has": true,
}

// selecting notes a hook where a text can hardly be anything else: the way in which
// libraries look for elements.
func (w *walker) selecting(text string) bool {
	if !looksSelecting(text) {
		return false
	}
	w.reach.hook(text)
	return true
}

// looksSelecting reports whether a text can hardly be anything but a selector: it
// has a class, an id or an attribute where one can stand.
func looksSelecting(s string) bool {
	if len(s) < 2 || !strings.ContainsAny(s, ".#[") ||
		strings.ContainsAny(s, "/{}()<!?&=;") && !strings.Contains(s, "[") {
		return false
	}
	if s[0] == '#' && isColour(s[1:]) {
		return false
	}
	for i := 0; i+1 < len(s); i++ { // a name follows, and none is a number or a file's ending
		if (s[i] == '.' || s[i] == '#') && !isNameStart(s[i+1]) {
			return false
		}
	}
	if fileEnding[s[strings.LastIndexByte(s, '.')+1:]] || strings.HasSuffix(s, " ") || strings.HasSuffix(s, ".") ||
		strings.HasSuffix(s, "#") {
		return false
	}
	_, err := markup.ParseSelector(s)
	return err == nil
}

var fileEnding = map[string]bool{
	"js": true, "css": true, "html": true, "htm": true, "json": true, "php": true, "png": true, "jpg": true,
	"svg": true, "txt": true, "xml": true, "com": true,
}

func isNameStart(c byte) bool {
	c |= 0x20
	return 'a' <= c && c <= 'z' || c == '_'|0x20 || c == '-' || c >= 0x80
}

func isColour(s string) bool {
	if n := len(s); n != 3 && n != 4 && n != 6 && n != 8 {
		return false
	}
	for i := range len(s) {
		if strings.IndexByte("0123456789abcdefABCDEF", s[i]) < 0 {
			return false
		}
	}
	return true
}

// identifierWords puts the words of a text that can be names of classes or ids into
// a set.
func identifierWords(s string, into map[string]bool) {
	for i := 0; i < len(s); {
		j := i
		for j < len(s) && (s[j] == '_' || s[j] == '-' || s[j] >= 0x80 || 'a' <= lowerByte(s[j]) && lowerByte(
			s[j]) <= 'z' || j > i && '0' <= s[j] && s[j] <= '9') {
			j++
		}
		if j > i && j-i < 64 {
			into[s[i:j]] = true
		}
		i = max(j, i+1)
	}
}
