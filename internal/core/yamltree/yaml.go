package yamltree

import (
	"bytes"
	"fmt"
	"strings"

	yamlerrors "github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// ParseYAML reads YAML into the library's tree, after looking that it is not nested too
// deep and that no alias stands within its own anchor, which would never end. Its error
// is an *Error.
func ParseYAML(text string, mode ...parser.Option) (f *ast.File, err error) {
	defer func() { // whatever the parser does, the user gets an error and no stack trace
		if e := recover(); e != nil {
			f, err = nil, failAt(1, 1, "the YAML cannot be read")
		}
	}()
	if err := tooDeep(text); err != nil {
		return nil, err
	}
	f, perr := parser.Parse(lexer.Tokenize(text), 0, mode...)
	if perr != nil {
		e := failAt(1, 1, "%s", perr.Error())
		if syntax, ok := perr.(*yamlerrors.SyntaxError); ok {
			e.Message = syntax.Message
			if t := syntax.Token; t != nil && t.Position != nil {
				e.Line, e.Column = max(t.Position.Line, 1), max(t.Position.Column, 1)
			}
		}
		e.Message = strings.TrimSpace(strings.SplitN(e.Message, "\n", 2)[0])
		return nil, e
	}
	for _, d := range f.Docs {
		if d.Body != nil {
			if err := withinItself(d.Body, nil); err != nil {
				return nil, err
			}
		}
	}
	return f, nil
}

// tooDeep counts levels before the parser, which goes into each of them, sees the text:
// brackets and braces outside quotes and comments, and in each line the dashes and
// question marks before its first word. Indentation opens at most as many levels as a
// line has columns before its first word.
func tooDeep(text string) error {
	if at := strings.Index(text, strings.Repeat("- ", MaxDepth+1)); at >= 0 {
		return beyond(1+strings.Count(text[:at], "\n"), 1, "this is nested deeper than %d levels", MaxDepth)
	}
	flow, line, lineStart := 0, 1, 0
	blocks := []int{} // the columns of the levels that are open
	for i := 0; i < len(text); {
		if i == lineStart && flow == 0 {
			// The levels that the beginning of this line opens.
			j := i
			for j < len(text) && text[j] == ' ' {
				j++
			}
			if j < len(text) && text[j] != '\n' && text[j] != '#' {
				for {
					for len(blocks) > 0 && blocks[len(blocks)-1] >= j-i {
						blocks = blocks[:len(blocks)-1]
					}
					if blocks = append(blocks, j-i); len(blocks) > MaxDepth {
						return beyond(line, j-i+1, "this is nested deeper than %d levels", MaxDepth)
					}
					if j+1 >= len(text) || text[j] != '-' && text[j] != '?' || text[j+1] != ' ' {
						break
					}
					for j++; j < len(text) && text[j] == ' '; j++ {
					}
				}
				i = j
			}
		}
		if i >= len(text) {
			break
		}
		switch c := text[i]; {
		case c == '\n':
			line, lineStart = line+1, i+1
		case (c == '"' || c == '\'') && (i == 0 || strings.IndexByte(" \n[{,:-", text[i-1]) >= 0):
			end := quoteEnd(text, i)
			if end < 0 { // never closed, or no quote: as if it were none
				break
			}
			if n := strings.Count(text[i:end], "\n"); n > 0 {
				line, lineStart = line+n, i+strings.LastIndexByte(text[i:end], '\n')+1
			}
			i = end
		case c == '#' && (i == 0 || text[i-1] == ' ' || text[i-1] == '\n'):
			if n := strings.IndexByte(text[i:], '\n'); n >= 0 {
				i += n - 1
			} else {
				i = len(text)
			}
		case (c == '[' || c == '{') && (flow > 0 || i == 0 || strings.IndexByte(" \n-:", text[i-1]) >= 0):
			if flow++; flow+len(blocks) > MaxDepth {
				return beyond(line, i-lineStart+1, "this is nested deeper than %d levels", MaxDepth)
			}
		case (c == ']' || c == '}') && flow > 0:
			flow--
		}
		i++
	}
	return nil
}

// quoteEnd is the offset of the quote that ends a quoted text, or -1.
func quoteEnd(text string, at int) int {
	q := text[at]
	for i := at + 1; i < len(text); i++ {
		switch {
		case text[i] == '\\' && q == '"':
			i++
		case text[i] == q && q == '\'' && i+1 < len(text) && text[i+1] == q:
			i++
		case text[i] == q:
			return i
		}
	}
	return -1
}

// withinItself looks for an alias that stands within the anchor it names; open are the
// anchors around a node.
func withinItself(n ast.Node, open []string) error {
	switch x := n.(type) {
	case *ast.AnchorNode:
		return withinItself(x.Value, append(open, x.Name.String()))
	case *ast.AliasNode:
		for _, name := range open {
			if name == x.Value.String() {
				t := x.GetToken()
				return beyond(t.Position.Line, t.Position.Column,
					"the alias *%s stands within what &%s names: it would never end", name, name)
			}
		}
	case *ast.TagNode:
		return withinItself(x.Value, open)
	case *ast.MappingNode:
		for _, v := range x.Values {
			if err := withinItself(v, open); err != nil {
				return err
			}
		}
	case *ast.MappingValueNode:
		if err := withinItself(x.Key, open); err != nil {
			return err
		}
		return withinItself(x.Value, open)
	case *ast.MappingKeyNode:
		return withinItself(x.Value, open)
	case *ast.SequenceNode:
		for _, v := range x.Values {
			if err := withinItself(v, open); err != nil {
				return err
			}
		}
	}
	return nil
}

// YAML reads one YAML document (YAML 1.2), with its aliases and merge keys resolved.
// Its error is an *Error.
func YAML(text []byte) (*Value, error) {
	if err := utf8Error(text); err != nil {
		return nil, err
	}
	text = bytes.TrimPrefix(text, []byte("\uFEFF"))
	f, err := ParseYAML(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(string(text)))
	if err != nil {
		return nil, err
	}
	if len(f.Docs) == 0 || f.Docs[0].Body == nil {
		return &Value{Line: 1, Column: 1}, nil
	}
	r := &yamlReader{anchors: map[string]ast.Node{}}
	return r.value(f.Docs[0].Body, 0)
}

type yamlReader struct {
	anchors map[string]ast.Node
	aliases int
	copying int // aliases that are being followed
	copied  int // values they have come to
}

func placeOf(n ast.Node) (line, column int) {
	t := n.GetToken()
	switch x := n.(type) {
	case *ast.MappingNode:
		if len(x.Values) > 0 && !x.IsFlowStyle {
			return placeOf(x.Values[0].Key)
		}
	case *ast.MappingValueNode:
		return placeOf(x.Key)
	}
	if t == nil || t.Position == nil {
		return 1, 1
	}
	return t.Position.Line, t.Position.Column
}

func (r *yamlReader) value(n ast.Node, depth int) (*Value, error) {
	v := &Value{Line: 1, Column: 1}
	if n == nil {
		return v, nil
	}
	v.Line, v.Column = placeOf(n)
	if depth > MaxDepth {
		return nil, beyond(v.Line, v.Column, "this is nested deeper than %d levels", MaxDepth)
	}
	if r.copying > 0 {
		if r.copied++; r.copied > MaxCopied {
			return nil, beyond(v.Line, v.Column, "the aliases of this file come to more than %d values", MaxCopied)
		}
	}
	switch x := n.(type) {
	case *ast.AnchorNode:
		r.anchors[x.Name.String()] = x.Value
		return r.value(x.Value, depth)
	case *ast.AliasNode:
		to, err := r.alias(x)
		if err != nil {
			return nil, err
		}
		r.copying++
		defer func() { r.copying-- }()
		return r.value(to, depth+1)
	case *ast.TagNode:
		return r.value(x.Value, depth)
	case *ast.MappingNode:
		return v, r.entries(v, x.Values, depth)
	case *ast.MappingValueNode:
		return v, r.entries(v, []*ast.MappingValueNode{x}, depth)
	case *ast.SequenceNode:
		v.Kind = List
		for _, k := range x.Values {
			kid, err := r.value(k, depth+1)
			if err != nil {
				return nil, err
			}
			v.Kids = append(v.Kids, kid)
		}
	case *ast.StringNode:
		v.Kind, v.Text = Text, x.Value
	case *ast.LiteralNode:
		v.Kind, v.Text = Text, x.Value.Value
	case *ast.IntegerNode:
		v.Kind, v.Text = Number, x.Token.Value
		if _, err := fmt.Sscanf(v.Text, "%d", new(int64)); err != nil || strings.ContainsAny(v.Text, "xXob_") {
			v.Text = fmt.Sprint(x.Value) // 0x1F, 1_000
		}
	case *ast.FloatNode:
		v.Kind, v.Text = Number, x.Token.Value
	case *ast.BoolNode:
		v.Kind, v.Text = Truth, fmt.Sprint(x.Value)
	case *ast.InfinityNode, *ast.NanNode:
		v.Kind, v.Text = Text, x.GetToken().Value
	}
	return v, nil
}

func (r *yamlReader) alias(x *ast.AliasNode) (ast.Node, error) {
	line, column := placeOf(x)
	to, ok := r.anchors[x.Value.String()]
	if !ok {
		return nil, failAt(line, column, "unknown alias %q", "*"+x.Value.String())
	}
	if r.aliases++; r.aliases > MaxAliases {
		return nil, beyond(line, column, "more than %d aliases are followed in this file", MaxAliases)
	}
	return to, nil
}

func (r *yamlReader) entries(v *Value, values []*ast.MappingValueNode, depth int) error {
	v.Kind = Map
	at := map[string]int{}
	set := func(key string, kid *Value, weak bool) {
		if i, have := at[key]; have {
			if !weak {
				v.Kids[i] = kid
			}
			return
		}
		at[key] = len(v.Keys)
		v.Keys, v.Kids = append(v.Keys, key), append(v.Kids, kid)
	}
	for _, e := range values {
		kid, err := r.value(e.Value, depth+1)
		if err != nil {
			return err
		}
		if e.Key.IsMergeKey() {
			from := []*Value{kid}
			if kid.Kind == List {
				from = kid.Kids
			}
			for _, m := range from {
				for i, key := range m.Keys {
					set(key, m.Kids[i], true)
				}
			}
			continue
		}
		key := e.Key.GetToken().Value
		if t := e.Key.GetToken(); t.Type == token.MappingKeyType { // ? key
			if k, ok := e.Key.(*ast.MappingKeyNode); ok && k.Value != nil {
				key = k.Value.GetToken().Value
			}
		}
		set(key, kid, false)
	}
	return nil
}
