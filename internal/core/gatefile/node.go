package gatefile

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/yamltree"
)

// reader turns the YAML nodes of one file into a Gate and collects problems.
type reader struct {
	*shared
	file    string
	text    []byte
	dir     *string // of an included file, relative to the gate file's folder; nil for the gate file itself
	anchors map[string]ast.Node
	within  string // the item that is being read, for messages
}

// shared is what the readers of a gate file and of those it includes have in
// common.
type shared struct {
	gate     *Gate
	problems []problem.Problem
	lines    map[string][]string         // by file
	names    map[string]problem.Position // where each name is defined
	include  func(glob string, g *Gate) ([]Included, error)
	told     map[problem.Position]bool
	broken   map[string]bool // page sets and items with a mistake of their own: who names them makes none
	words    []wordUse       // that placeholders name
	aliases  int             // that were followed
	alias    ast.Node        // the last of them

	// Every query of the files, to be bound once all sets are known.
	oneQuery []boundQuery
}

type boundQuery struct {
	Query
	node ast.Node
	*reader
}

// An entry is one key of a mapping with its value.
type entry struct {
	key  string
	pos  problem.Position // of the key
	node ast.Node
}

func (r *reader) errorf(pos problem.Position, format string, args ...any) {
	r.problem(problem.Error, pos, "", format, args...)
}

func (r *reader) problem(s problem.Severity, pos problem.Position, remedy, format string, args ...any) {
	lines := r.lines[pos.File]
	if lines != nil {
		pos.Line = min(max(pos.Line, 1), len(lines))
	}
	p := problem.Problem{
		Severity: s,
		Pos:      pos,
		Message:  problem.Brief(fmt.Sprintf(format, args...)),
		Remedy:   problem.Brief(remedy),
	}
	if r.within != "" && !strings.Contains(p.Message, `"`+r.within+`"`) {
		p.Message = fmt.Sprintf("item %q: %s", r.within, p.Message)
	}
	if pos.Line >= 1 && pos.Line <= len(lines) {
		p.Line = lines[pos.Line-1]
	}
	r.problems = append(r.problems, p)
}

// warn reports what can be accepted by its name.
func (r *reader) warn(name string, it *Item, pos problem.Position, remedy, format string, args ...any) {
	r.problem(problem.Warning, pos, remedy, format, args...)
	p := &r.problems[len(r.problems)-1]
	p.Name = name
	if it != nil {
		p.Item = it.Name
	}
}

// parse reads the YAML text. ok is false where it is no YAML.
func (r *reader) parse() (root ast.Node, ok bool) {
	if !utf8.Valid(r.text) {
		line := 1 + bytes.Count(r.text[:invalidAt(r.text)], []byte("\n"))
		r.errorf(problem.Position{File: r.file, Line: line, Column: 1}, "the gate file is not UTF-8")
		return nil, false
	}
	for i, line := range r.lines[r.file] {
		if j := strings.IndexByte(line, '\t'); j >= 0 && strings.TrimLeft(line[:j], " ") == "" &&
			strings.TrimSpace(line) != "" &&
			!strings.HasPrefix(strings.TrimSpace(line), "#") {
			r.problem(problem.Error, problem.Position{File: r.file, Line: i + 1, Column: j + 1}, "indent with spaces",
				"a tab cannot indent a line in YAML")
			return nil, false
		}
	}
	f, err := yamltree.ParseYAML(strings.Join(r.lines[r.file], "\n"), parser.AllowDuplicateMapKey())
	if err != nil {
		r.yamlError(err)
		return nil, false
	}
	if len(f.Docs) > 1 {
		r.errorf(r.at(f.Docs[1].Body), "a gate file is one YAML document; a second one begins here")
		return nil, false
	}
	if len(f.Docs) == 0 || f.Docs[0].Body == nil || f.Docs[0].Body.Type() == ast.CommentType ||
		f.Docs[0].Body.Type() == ast.NullType {
		r.problem(problem.Error, problem.Position{File: r.file, Line: 1, Column: 1}, "begin with: yellowgate: 1",
			"the gate file is empty")
		return nil, false
	}
	return f.Docs[0].Body, true
}

func invalidAt(b []byte) int {
	for i := 0; i < len(b); {
		c, n := utf8.DecodeRune(b[i:])
		if c == utf8.RuneError && n <= 1 {
			return i
		}
		i += n
	}
	return len(b)
}

// yamlError reports a syntax error, with what the usual slips of YAML mean.
func (r *reader) yamlError(err error) {
	pos, message := problem.Position{File: r.file, Line: 1, Column: 1}, err.Error()
	if e, ok := err.(*yamltree.Error); ok {
		pos.Line, pos.Column = e.Line, e.Column
		if e.Limit {
			r.problem(problem.Error, pos, "", "%s", message)
			return
		}
	}
	line, remedy := pos.Line, ""
	// The parser names the line where a list or mapping began, or the one after the slip: what is surely a slip
	// is looked for some lines further down, too.
	near := []int{line, line - 1}
	far := slices.Clone(near)
	for n := range 12 {
		far = append(far, line+1+n)
	}
	for _, try := range []struct {
		slips []slip
		lines []int
	}{{slips, far}, {doubtfulSlips, near}} {
		if at, col, found := findSlip(try.slips, try.lines, r.lineAt); found != "" && remedy == "" {
			pos.Line, pos.Column, remedy = at, col, found
		}
	}
	r.problem(problem.Error, pos, remedy, "this is not YAML: %s", message)
}

// A slip is a mistake in a line, whose first group is what is wrong.
type slip struct {
	re     *regexp.Regexp
	remedy string
}

// slips are the usual mistakes of YAML, found in the line where reading failed.
var slips = []slip{
	{regexp.MustCompile(`(?:^|[:\[{,-])\s+(@\{)`), `a value that begins with @{ is put in quotes: "@{…}"`},
	{
		regexp.MustCompile(`(?:^|[:-])\s+(\*\S*)`),
		`a value that begins with * is put in quotes, or YAML takes it for an alias`,
	},
	{
		regexp.MustCompile(`(?:^|[:-])\s+(\[[\w-]+\s*[~|^$*]?=)`),
		`a selector that begins with [ is put in quotes, or YAML takes it for a list`,
	},
	{
		regexp.MustCompile(`(?:^|[:\[,-])\s+(#[^\s#]\S*)`),
		`# begins a comment in YAML: a value that begins with # is put in quotes`,
	},
	{
		regexp.MustCompile(`('@\{[^'"}]*'[^'}]*'[^}]*\}'|"@\{[^"'}]*"[^"}]*"[^}]*\}")`),
		`quotes within a quoted value end it: write the other kind inside, as in "@{page.title or 'words'}"`,
	},
	{
		regexp.MustCompile(`(?:^|[\[,])\s*(/[^\s"'\[\],{}]*[{\[][^\s"']*)`),
		`YAML reads the braces and brackets of a value in a list: put it in quotes, as in ["/a/**", "/{de,fr}/b/**"]`,
	},
	{
		regexp.MustCompile(`\{(?:.*,)?\s*[\w-]+:\s+([^\s"'\[\]{},][^"'\[\]{},]*\[[^\[\]]*\])`),
		`YAML reads the brackets of a value within {…}: put it in quotes, as in {found: "script[src]"}`,
	},
	{regexp.MustCompile("(?:^|[:-])\\s+([%`])"), "a value that begins with % or ` is put in quotes"},
}

// doubtfulSlips are some that lines without a mistake look like.
var doubtfulSlips = []slip{
	{
		regexp.MustCompile(`(?:^|[:-])\s+(["'\[{]?[^"'#]*?\S: \S)`),
		`a value with a colon and a space in it is put in quotes`,
	},
}

// findSlip looks for slips in lines, in this order.
func findSlip(slips []slip, lines []int, text func(int) string) (line, column int, remedy string) {
	for _, n := range lines {
		for _, s := range slips {
			if m := s.re.FindStringSubmatchIndex(text(n)); m != nil {
				return n, utf8.RuneCountInString(text(n)[:m[2]]) + 1, s.remedy
			}
		}
	}
	return 0, 0, ""
}

// at is the position of a node's first character.
func (r *reader) at(n ast.Node) problem.Position {
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return problem.Position{File: r.file, Line: 1, Column: 1}
	}
	t := n.GetToken()
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) > 0 && !m.IsFlowStyle {
		return r.at(m.Values[0].Key)
	}
	if m, ok := n.(*ast.MappingValueNode); ok {
		return r.at(m.Key)
	}
	return problem.Position{File: r.file, Line: t.Position.Line, Column: t.Position.Column}
}

// inside is the position of an offset (in bytes) in the text of a scalar.
func (r *reader) inside(n ast.Node, offset int) problem.Position {
	pos := r.at(n)
	switch n := n.(type) {
	case *ast.LiteralNode: // a block: the text begins on the next line, indented
		text := n.Value.Value
		offset = min(offset, len(text))
		line := strings.Count(text[:offset], "\n")
		col := utf8.RuneCountInString(text[strings.LastIndexByte(text[:offset], '\n')+1 : offset])
		pos.Line += 1 + line
		indent := 0
		if line := r.lineAt(pos.Line); line != "" {
			indent = len(line) - len(strings.TrimLeft(line, " "))
		}
		pos.Column = indent + col + 1
	case *ast.StringNode:
		text := n.Value
		offset = min(offset, len(text))
		if strings.ContainsRune(text[:offset], '\n') {
			return pos
		}
		pos.Column += utf8.RuneCountInString(text[:offset])
		if n.Token.Type == token.DoubleQuoteType || n.Token.Type == token.SingleQuoteType {
			pos.Column++
		}
	}
	return pos
}

// resolve follows anchors, aliases and tags to the node that counts.
func (r *reader) resolve(n ast.Node) ast.Node {
	for depth := 0; depth < 20; depth++ {
		switch x := n.(type) {
		case *ast.AnchorNode:
			if r.anchors == nil {
				r.anchors = map[string]ast.Node{}
			}
			r.anchors[x.Name.String()] = x.Value
			n = x.Value
		case *ast.AliasNode:
			target, ok := r.anchors[x.Value.String()]
			if !ok {
				remedy := ""
				if strings.ContainsAny(x.Value.String(), "[.#:") || x.Value.String() == "" {
					remedy = "a selector that begins with * is put in quotes"
				}
				r.problem(problem.Error, r.at(x), remedy, "unknown alias %q", "*"+x.Value.String())
				return nil
			}
			if r.alias != n {
				r.alias = n
				if r.aliases++; r.aliases > yamltree.MaxAliases {
					r.firstAt(r.at(x), "write out what is meant",
						"more than %d aliases are followed in this gate file", yamltree.MaxAliases)
					return nil
				}
			}
			n = target
		case *ast.TagNode:
			if tag := x.Start.Value; !strings.HasPrefix(tag, "!!") {
				r.firstAt(r.at(x), "put the value in quotes", "YAML takes %q for a tag and drops it from the value", tag)
			}
			n = x.Value
		default:
			return n
		}
	}
	return nil
}

// mapping reads a mapping whose keys must be among known. what names the mapping in errors.
func (r *reader) mapping(n ast.Node, what string, known []string) []entry {
	all := r.entries(n, what)
	out := all[:0]
	for _, e := range all {
		if _, null := e.node.(*ast.NullNode); null && what != topLevel && slices.Contains(known, e.key) {
			r.noValue(e, what)
			continue
		}
		switch {
		case slices.Contains(known, e.key):
			out = append(out, e)
		default:
			hint, remedy := didyoumean.Suggest(e.key, known), "the keys there are: "+strings.Join(known, ", ")
			if name, og := strings.CutPrefix(e.key, "og:"); og {
				hint, remedy = "",
					fmt.Sprintf("write it under social: social: {%s: …}, or under property: property: {%q: …}",
						strings.TrimSuffix(name, "_name"), e.key)
			}
			r.problem(problem.Error, e.pos, remedy, "unknown key %q in %s%s", e.key, what, hint)
		}
	}
	return out
}

// topLevel is what messages call the file's top level, where a key may be empty.
const topLevel = "the gate file"

// noValue reports a key without a value: an empty key is never meant.
func (r *reader) noValue(e entry, what string) {
	line, remedy := r.lineAt(e.pos.Line), "give it a value, or take the line out"
	if i := strings.Index(line, "#"); i >= 0 && i > strings.Index(line, e.key) {
		if rest := line[i+1:]; rest != "" && rest[0] != ' ' {
			remedy = "# begins a comment in YAML: put the value in quotes, '" + strings.TrimSpace(line[i:]) + "'"
		}
	}
	r.problem(problem.Error, e.pos, remedy, "%q in %s has no value", e.key, what)
}

// firstAt is problem as an error, once for each position.
func (r *reader) firstAt(pos problem.Position, remedy, format string, args ...any) {
	if r.told[pos] {
		return
	}
	if r.told == nil {
		r.told = map[problem.Position]bool{}
	}
	r.told[pos] = true
	for i := len(r.problems) - 1; i >= max(0, len(r.problems)-100); i-- {
		if r.problems[i].Pos == pos {
			return
		}
	}
	r.problem(problem.Error, pos, remedy, format, args...)
}

// entriesQuietly reads a mapping that is read properly elsewhere.
func (r *reader) entriesQuietly(n ast.Node) (out []entry) {
	var values []*ast.MappingValueNode
	switch m := r.resolve(n).(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	}
	for _, v := range values {
		out = append(out, entry{key: v.Key.GetToken().Value, node: v.Value})
	}
	return out
}

// entries reads a mapping with any keys.
func (r *reader) entries(n ast.Node, what string) []entry {
	n = r.resolve(n)
	var values []*ast.MappingValueNode
	switch m := n.(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	case nil:
		return nil
	case *ast.NullNode:
		return nil
	default:
		r.errorf(r.at(n), "%s should be a mapping (key: value lines), not %s", what, kindOf(n))
		return nil
	}
	var out []entry
	first := map[string]problem.Position{}
	for _, v := range values {
		if v.Key.IsMergeKey() {
			r.errorf(r.at(v.Key), "merge keys (<<) are not part of the format; write the keys out")
			continue
		}
		key := v.Key.GetToken().Value
		pos := problem.Position{
			File:   r.file,
			Line:   v.Key.GetToken().Position.Line,
			Column: v.Key.GetToken().Position.Column,
		}
		if p, dup := first[key]; dup {
			r.errorf(pos, "%q stands in %s twice, first in line %d", key, what, p.Line)
			continue
		}
		first[key] = pos
		out = append(out, entry{key, pos, v.Value})
	}
	return out
}

// list reads a value that may be single or a list.
func (r *reader) list(n ast.Node) []ast.Node {
	switch x := r.resolve(n).(type) {
	case nil:
		return nil
	case *ast.NullNode:
		return nil
	case *ast.SequenceNode:
		return x.Values
	default:
		return []ast.Node{x}
	}
}

// text reads a scalar as text, as it is written: 1.10 stays 1.10.
func (r *reader) oneText(n ast.Node, what string) (Text, bool) {
	n = r.resolve(n)
	if n == nil {
		return Text{}, false
	}
	pos := r.at(n)
	switch x := n.(type) {
	case *ast.StringNode:
		return Text{x.Value, pos}, true
	case *ast.LiteralNode:
		return Text{x.Value.Value, r.inside(n, 0)}, true
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		return Text{x.GetToken().Value, pos}, true
	case *ast.InfinityNode, *ast.NanNode:
		return Text{x.GetToken().Value, pos}, true
	case *ast.NullNode:
		remedy := ""
		if line := r.lineAt(pos.Line); regexp.MustCompile(`[-:]\s+#\S`).MatchString(line) {
			remedy = "# begins a comment in YAML: put the value in quotes"
		}
		r.problem(problem.Error, pos, remedy, "%s has no value", what)
	case *ast.MappingNode, *ast.MappingValueNode:
		remedy := ""
		if m, ok := n.(*ast.MappingNode); ok && m.IsFlowStyle {
			remedy = "YAML reads braces as a mapping: put the value in quotes, or write it below as a block (" + what + ": |)"
		}
		if strings.Contains(r.lineAt(pos.Line), "@{") {
			remedy = `a value with @{…} is put in quotes, or YAML reads its braces`
		} else if remedy == "" && strings.Contains(r.lineAt(pos.Line), ": ") {
			remedy = "a value with a colon and a space in it is put in quotes"
		}
		r.problem(problem.Error, pos, remedy, "%s should be a text, not %s", what, kindOf(n))
	case *ast.SequenceNode:
		remedy := ""
		if strings.Contains(r.lineAt(pos.Line), "[") {
			remedy = "a selector that begins with [ is put in quotes, or YAML takes it for a list"
		}
		r.problem(problem.Error, pos, remedy, "%s should be a text, not %s", what, kindOf(n))
	default:
		r.errorf(pos, "%s should be a text, not %s", what, kindOf(n))
	}
	return Text{}, false
}

func (r *reader) lineAt(n int) string {
	if n < 1 || n > len(r.lines[r.file]) {
		return ""
	}
	return r.lines[r.file][n-1]
}

// texts reads a scalar or a list of scalars.
func (r *reader) texts(n ast.Node, what string) []Text {
	var out []Text
	for _, v := range r.list(n) {
		if t, ok := r.oneText(v, what); ok {
			out = append(out, t)
		}
	}
	return out
}

// oneName and names read what names files: an empty one would be the folder itself.
func (r *reader) oneName(n ast.Node, what string) (Text, bool) {
	t, ok := r.oneText(n, what)
	if ok && strings.TrimSpace(t.Value) == "" {
		r.problem(problem.Error, t.Pos, "name a file or folder, or leave the key out", "%s is empty", what)
		return Text{}, false
	}
	return t, ok
}

func (r *reader) names(n ast.Node, what string) (out []Text) {
	for _, v := range r.list(n) {
		if t, ok := r.oneName(v, what); ok {
			out = append(out, t)
		}
	}
	return out
}

// truth reads true or false.
func (r *reader) truth(n ast.Node, what string) bool {
	n = r.resolve(n)
	b, ok := n.(*ast.BoolNode)
	if !ok {
		if n != nil {
			r.errorf(r.at(n), "%s should be true or false", what)
		}
		return false
	}
	return b.Value
}

func kindOf(n ast.Node) string {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return "a mapping"
	case *ast.SequenceNode:
		return "a list"
	case *ast.NullNode:
		return "nothing"
	case *ast.BoolNode:
		return "a truth value"
	case *ast.IntegerNode, *ast.FloatNode:
		return "a number"
	}
	return "a text"
}
