// Package gateedit changes the text of a gate file: a key of a mapping set, taken
// out, a name taken out of a list. It touches only the lines that it must, and
// keeps comments, order, quotes and line ends.
//
// It knows YAML, not what the keys mean: whoever calls it reads the result with
// gatefile before anything is written.
package gateedit

import (
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// A Doc is the text of a gate file on its way.
type Doc struct {
	lines []string // without their line ends
	ends  []string // the line end of each
	bom   bool
}

// Read takes a text apart into lines.
func Read(text []byte) *Doc {
	d := &Doc{}
	s, bom := strings.CutPrefix(string(text), "\uFEFF")
	d.bom = bom
	for s != "" {
		n := strings.IndexAny(s, "\r\n")
		if n < 0 {
			d.lines, d.ends = append(d.lines, s), append(d.ends, "")
			break
		}
		end := 1
		if s[n] == '\r' && n+1 < len(s) && s[n+1] == '\n' {
			end = 2
		}
		d.lines, d.ends = append(d.lines, s[:n]), append(d.ends, s[n:n+end])
		s = s[n+end:]
	}
	return d
}

// Bytes is the text as it is now.
func (d *Doc) Bytes() []byte {
	var b strings.Builder
	if d.bom {
		b.WriteString("\uFEFF")
	}
	for i, l := range d.lines {
		b.WriteString(l)
		b.WriteString(d.ends[i])
	}
	return []byte(b.String())
}

// eol is the file's line end.
func (d *Doc) eol() string {
	for _, e := range d.ends {
		if e != "" {
			return e
		}
	}
	return "\n"
}

// splice replaces the lines [from, to) by others.
func (d *Doc) splice(from, to int, lines []string) {
	eol := d.eol()
	if from == len(d.lines) && from > 0 && d.ends[from-1] == "" {
		d.ends[from-1] = eol
	}
	ends := make([]string, len(lines))
	for i := range ends {
		ends[i] = eol
	}
	d.lines = append(d.lines[:from:from], append(lines, d.lines[to:]...)...)
	d.ends = append(d.ends[:from:from], append(ends, d.ends[to:]...)...)
}

// A field is one entry of a mapping in the text.
type field struct {
	key       string
	line, col int // of its key, from 0; the column in bytes
	value     ast.Node
}

// A mapping is one in the text.
type mapping struct {
	fields []field
	flow   bool
	indent int // of its keys, in block style
	// In block style, the lines [from, to) hold it. In flow style, the position of
	// its "{".
	from, to, col int
}

// root reads the text.
func (d *Doc) root() (ast.Node, error) {
	f, err := parser.ParseBytes([]byte(strings.Join(d.lines, "\n")), 0, parser.AllowDuplicateMapKey())
	if err != nil {
		return nil, err
	}
	if len(f.Docs) == 0 || f.Docs[0].Body == nil {
		return nil, nil
	}
	return f.Docs[0].Body, nil
}

// mappingOf describes a mapping node; end is the line after which nothing of it
// can stand.
func (d *Doc) mappingOf(n ast.Node, end int) (*mapping, error) {
	var values []*ast.MappingValueNode
	m := &mapping{to: end}
	switch x := n.(type) {
	case *ast.MappingNode:
		values, m.flow = x.Values, x.IsFlowStyle
		if m.flow {
			m.from = x.Start.Position.Line - 1
			m.col = d.byteCol(m.from, x.Start.Position.Column)
		}
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{x}
	default:
		return nil, fmt.Errorf("a mapping should stand here")
	}
	for _, v := range values {
		t := v.Key.GetToken()
		line := t.Position.Line - 1
		m.fields = append(m.fields, field{t.Value, line, d.byteCol(line, t.Position.Column), v.Value})
	}
	if !m.flow && len(m.fields) > 0 {
		m.from, m.indent = m.fields[0].line, m.fields[0].col
		m.to = d.blockEnd(m.fields[len(m.fields)-1].line, m.indent, end)
	}
	return m, nil
}

// byteCol is a column, counted in characters from 1, as bytes from 0.
func (d *Doc) byteCol(line, col int) int {
	if line >= len(d.lines) {
		return 0
	}
	n := 0
	for i := range d.lines[line] {
		if n == col-1 {
			return i
		}
		n++
	}
	return len(d.lines[line])
}

// blockEnd is the line after the entry whose key stands in a line with an
// indentation: what follows deeper belongs to it, and comments within.
func (d *Doc) blockEnd(line, indent, limit int) int {
	end := line + 1
	for i := line + 1; i < limit; i++ {
		t := strings.TrimLeft(d.lines[i], " ")
		deep := len(d.lines[i]) - len(t)
		if t == "" {
			continue
		}
		list := deep == indent && (t == "-" || strings.HasPrefix(t, "- "))
		if deep <= indent && !list {
			if strings.HasPrefix(t, "#") {
				continue // whose it is, what follows tells
			}
			break
		}
		end = i + 1
	}
	return end
}

// find walks a path of keys. It returns the mapping that holds the last key and
// the number of that, -1 where it is not there. missing is the number of keys of
// the path for which there is a mapping.
func (d *Doc) find(path []string) (m *mapping, at, depth int, err error) {
	root, err := d.root()
	if err != nil {
		return nil, -1, 0, err
	}
	if root == nil {
		return nil, -1, 0, nil
	}
	node, end := root, len(d.lines)
	for depth = 0; ; depth++ {
		if m, err = d.mappingOf(node, end); err != nil {
			return nil, -1, depth, err
		}
		at = -1
		for i := range m.fields {
			if m.fields[i].key == path[depth] {
				at = i
			}
		}
		if at < 0 || depth == len(path)-1 {
			return m, at, depth, nil
		}
		node = m.fields[at].value
		if a, ok := node.(*ast.AnchorNode); ok {
			node = a.Value
		}
		if _, ok := node.(*ast.NullNode); ok {
			return m, at, depth, nil
		}
		if !m.flow {
			end = d.fieldEnd(m, at)
		}
	}
}

// fieldEnd is the line after a field of a mapping in block style.
func (d *Doc) fieldEnd(m *mapping, i int) int {
	limit := m.to
	if i+1 < len(m.fields) {
		limit = m.fields[i+1].line
	}
	return d.blockEnd(m.fields[i].line, m.indent, limit)
}

// Has reports whether there is something at a path of keys.
func (d *Doc) Has(path ...string) bool {
	_, at, depth, err := d.find(path)
	return err == nil && at >= 0 && depth == len(path)-1
}

const step = "  "

// Set gives a key a value; the path leads to it from the top. What the path lacks
// is made.
func (d *Doc) Set(v NewValue, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil {
		return err
	}
	// What is missing below comes as mappings.
	for i := len(path) - 1; i > depth; i-- {
		v = NewValue{Keys: []string{path[i]}, Vals: []NewValue{v}}
	}
	key := path[depth]
	switch {
	case m == nil || len(m.fields) == 0 && !m.flow:
		d.splice(len(d.lines), len(d.lines), v.block(key, "", step))
	case m.flow:
		return d.setInFlow(m, at, key, v)
	case at < 0:
		lines := v.block(key, strings.Repeat(" ", m.indent), step)
		if depth == 0 {
			lines = v.unfolded(key, "")
		}
		if d.spaced(m) {
			lines = append([]string{""}, lines...)
		}
		d.splice(m.to, m.to, lines)
	default:
		d.replace(m, at, v)
	}
	return nil
}

// unfolded writes a mapping of mappings one key a line.
func (v NewValue) unfolded(key, indent string) []string {
	if len(v.Keys) == 0 {
		return v.block(key, indent, step)
	}
	out := []string{indent + keyText(key, false) + ":"}
	for i, k := range v.Keys {
		out = append(out, v.Vals[i].block(k, indent+step, step)...)
	}
	return out
}

// Add adds an item or the like, one key a line, at the end of a mapping.
func (d *Doc) Add(v NewValue, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil {
		return err
	}
	key := path[len(path)-1]
	if depth < len(path)-1 && at >= 0 && m != nil && !m.flow { // "items:" with nothing in it
		line := m.fields[at].line
		d.splice(line+1, line+1, v.unfolded(key, strings.Repeat(" ", m.indent)+step))
		return nil
	}
	if m == nil || depth < len(path)-1 {
		lines := append([]string{path[0] + ":"}, v.unfolded(key, step)...)
		if len(d.lines) > 0 {
			lines = append([]string{""}, lines...)
		}
		d.splice(len(d.lines), len(d.lines), lines)
		return nil
	}
	if m.flow && len(m.fields) == 0 && len(path) == 2 { // "items: {}" becomes a block
		if i := strings.Index(d.lines[m.from], "{"); i >= 0 &&
			strings.TrimSpace(strings.Trim(d.lines[m.from][i:], "{} ")) == "" {
			d.lines[m.from] = strings.TrimRight(d.lines[m.from][:i], " ")
			d.splice(m.from+1, m.from+1, v.unfolded(key, step))
			return nil
		}
	}
	if m.flow {
		return d.setInFlow(m, at, key, v)
	}
	lines := v.unfolded(key, strings.Repeat(" ", m.indent))
	if d.spaced(m) {
		lines = append([]string{""}, lines...)
	}
	d.splice(m.to, m.to, lines)
	return nil
}

// spaced reports whether the entries of a mapping stand apart by blank lines.
func (d *Doc) spaced(m *mapping) bool {
	n := 0
	for i := 1; i < len(m.fields); i++ {
		for l := m.fields[i-1].line; l < m.fields[i].line; l++ {
			if strings.TrimSpace(d.lines[l]) == "" && d.blockEnd(m.fields[i-1].line, m.indent, m.fields[i].line) <= l {
				n++
				break
			}
		}
	}
	return n > 0 && 2*n >= len(m.fields)-1
}

// replace gives a field of a block mapping another value. Where both take one
// line, only the value changes, and a comment behind it stays.
func (d *Doc) replace(m *mapping, at int, v NewValue) {
	f := m.fields[at]
	end := d.fieldEnd(m, at)
	text, ok := v.inline(false)
	line := d.lines[f.line]
	if from := afterKey(line, f.col); end == f.line+1 && ok && from >= 0 {
		to := scanValue(line, from, false)
		if to > from {
			d.lines[f.line] = line[:from] + likeBefore(line[from:to], text, v) + line[to:]
			return
		}
	}
	d.splice(f.line, end, v.block(f.key, strings.Repeat(" ", m.indent), step))
}

// likeBefore keeps single quotes where the old value had them.
func likeBefore(old, text string, v NewValue) string {
	if strings.HasPrefix(old, "'") && strings.HasPrefix(text, `"`) && !strings.ContainsAny(v.Text, "\n\t") &&
		v.Text != "" {
		return "'" + strings.ReplaceAll(v.Text, "'", "''") + "'"
	}
	return text
}

// afterKey is where the value begins behind the key at a column; -1 where none
// stands in the line.
func afterKey(line string, col int) int {
	i := scanValue(line, col, true)
	for i < len(line) && line[i] != ':' {
		i++
	}
	if i++; i > len(line) {
		return -1
	}
	for i < len(line) && line[i] == ' ' {
		i++
	}
	if i >= len(line) || line[i] == '#' {
		return -1
	}
	return i
}

// scanValue is the end of the value that begins at an offset of a line: after its
// closing quote or bracket, else before a comment. A key ends before its colon.
func scanValue(line string, i int, key bool) int {
	switch line[i] {
	case '"', '\'':
		return quoteEnd(line, i)
	case '[', '{':
		if !key {
			return bracketEnd(line, i)
		}
	}
	end := len(line)
	if n := strings.Index(line[i:], " #"); n >= 0 {
		end = i + n
	}
	if key {
		if n := strings.Index(line[i:end]+" ", ": "); n >= 0 {
			end = i + n
		}
	}
	return i + len(strings.TrimRight(line[i:end], " "))
}

func quoteEnd(s string, i int) int {
	q := s[i]
	for j := i + 1; j < len(s); j++ {
		switch {
		case s[j] == '\\' && q == '"':
			j++
		case s[j] == q && q == '\'' && j+1 < len(s) && s[j+1] == q:
			j++
		case s[j] == q:
			return j + 1
		}
	}
	return len(s)
}

// bracketEnd is the offset after the bracket that closes the one at i; len(s)
// where none does.
func bracketEnd(s string, i int) int {
	depth := 0
	for j := i; j < len(s); j++ {
		switch s[j] {
		case '"', '\'':
			if j > 0 && strings.IndexByte(" [{,:", s[j-1]) >= 0 {
				j = quoteEnd(s, j) - 1
			}
		case '[', '{':
			depth++
		case ']', '}':
			if depth--; depth == 0 {
				return j + 1
			}
		case '#':
			if j > 0 && s[j-1] == ' ' {
				if n := strings.IndexByte(s[j:], '\n'); n >= 0 {
					j += n
				} else {
					return len(s)
				}
			}
		}
	}
	return len(s)
}

// flowText is the text from a mapping's "{" to its "}", over several lines
// perhaps, and the line and column after it.
func (d *Doc) flowText(m *mapping) (text string, endLine, endCol int) {
	all := d.lines[m.from][m.col:]
	for l := m.from; ; l++ {
		if n := bracketEnd(all, 0); n < len(all) || strings.HasSuffix(all, "}") && n == len(all) && balanced(all) {
			text = all[:n]
			last := strings.LastIndexByte(text, '\n')
			if last < 0 {
				return text, m.from, m.col + len(text)
			}
			return text, l, len(text) - last - 1
		}
		if l+1 >= len(d.lines) {
			return all, l, len(d.lines[l])
		}
		all += "\n" + d.lines[l+1]
	}
}

func balanced(s string) bool { return bracketEnd(s+" ", 0) <= len(s) }

// setFlowText puts a text in the place of a flow mapping.
func (d *Doc) setFlowText(m *mapping, text string) {
	_, endLine, endCol := d.flowText(m)
	whole := d.lines[m.from][:m.col] + text + d.lines[endLine][endCol:]
	d.splice(m.from, endLine+1, strings.Split(whole, "\n"))
}

// flowParts splits what a flow mapping or list holds at its commas: ranges of the
// text between its brackets.
func flowParts(text string) (parts [][2]int) {
	start := 1
	for j := 1; j < len(text)-1; j++ {
		switch text[j] {
		case '"', '\'':
			if strings.IndexByte(" [{,:\n", text[j-1]) >= 0 {
				j = quoteEnd(text, j) - 1
			}
		case '[', '{':
			j = bracketEnd(text, j) - 1
		case ',':
			parts = append(parts, [2]int{start, j})
			start = j + 1
		}
	}
	if strings.TrimSpace(text[start:len(text)-1]) != "" {
		parts = append(parts, [2]int{start, len(text) - 1})
	}
	return parts
}

// setInFlow sets a key in a mapping in braces.
func (d *Doc) setInFlow(m *mapping, at int, key string, v NewValue) error {
	text, _, _ := d.flowText(m)
	entry := keyText(key, true) + ": " + v.inFlow()
	parts := flowParts(text)
	if at >= 0 && at < len(parts) {
		p := parts[at]
		old := text[p[0]:p[1]]
		lead := old[:len(old)-len(strings.TrimLeft(old, " \n"))]
		d.setFlowText(m, text[:p[0]]+lead+entry+text[p[1]:])
		return nil
	}
	inside := strings.TrimRight(text[1:len(text)-1], " ")
	tail := text[1+len(inside) : len(text)-1]
	switch {
	case strings.TrimSpace(inside) == "":
		d.setFlowText(m, "{"+entry+"}")
	default:
		d.setFlowText(m, "{"+strings.TrimRight(strings.TrimSuffix(inside, ","), " ")+", "+entry+tail+"}")
	}
	return nil
}

// Delete takes a key out. A mapping that it leaves empty goes, too, as far up as
// keep keys of the path.
func (d *Doc) Delete(keep int, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil || at < 0 || depth < len(path)-1 {
		return err
	}
	if len(m.fields) == 1 && len(path) > keep {
		return d.Delete(keep, path[:len(path)-1]...)
	}
	if m.flow {
		text, _, _ := d.flowText(m)
		parts := flowParts(text)
		if at < len(parts) {
			d.setFlowText(m, cutPart(text, parts, at))
		}
		return nil
	}
	from, end := m.fields[at].line, d.fieldEnd(m, at)
	blank := func(i int) bool { return i < 0 || i >= len(d.lines) || strings.TrimSpace(d.lines[i]) == "" }
	if from > 0 && blank(from-1) && blank(end) && end < len(d.lines) {
		end++
	}
	if len(m.fields) == 1 {
		if parent := from - 1; parent >= 0 && strings.HasSuffix(strings.TrimRight(d.lines[parent], " "), ":") &&
			m.indent > 0 {
			d.lines[parent] = strings.TrimRight(d.lines[parent], " ") + " {}"
		}
	}
	d.splice(from, end, nil)
	return nil
}

// cutPart takes one part out of a text in brackets, with its comma.
func cutPart(text string, parts [][2]int, i int) string {
	from, to := parts[i][0], parts[i][1]
	switch {
	case i > 0:
		from = parts[i-1][1]
	case len(parts) > 1:
		to = parts[1][0]
		for to < parts[1][1] && text[to] == ' ' {
			to++
		}
		if from < len(text) && text[from] == ' ' {
			from++
		}
	}
	return text[:from] + text[to:]
}

// DeleteFromList takes a name out of the list, or the single value, of a key. A
// list that it leaves empty goes with its key, and mappings up to keep keys of
// the path.
func (d *Doc) DeleteFromList(name string, keep int, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil || at < 0 || depth < len(path)-1 {
		return err
	}
	list, ok := m.fields[at].value.(*ast.SequenceNode)
	if !ok {
		return d.Delete(keep, path...)
	}
	k := slices.IndexFunc(list.Values, func(v ast.Node) bool { return textOf(v) == name })
	switch {
	case k < 0:
		return nil
	case len(list.Values) == 1:
		return d.Delete(keep, path...)
	case !list.IsFlowStyle:
		end := d.fieldEnd(m, at)
		if k+1 < len(list.Values) {
			end = firstLine(list.Values[k+1])
		}
		d.splice(firstLine(list.Values[k]), end, nil)
		return nil
	}
	at0 := &mapping{from: list.Start.Position.Line - 1}
	at0.col = d.byteCol(at0.from, list.Start.Position.Column)
	text, _, _ := d.flowText(at0)
	d.setFlowText(at0, cutPart(text, flowParts(text), k))
	return nil
}

// Texts lists the texts that a key has: one, or those of its list.
func (d *Doc) Texts(path ...string) (out []string) {
	m, at, depth, err := d.find(path)
	if err != nil || at < 0 || depth < len(path)-1 {
		return nil
	}
	list, ok := m.fields[at].value.(*ast.SequenceNode)
	if !ok {
		return []string{textOf(m.fields[at].value)}
	}
	for _, v := range list.Values {
		out = append(out, textOf(v))
	}
	return out
}

// textOf is the text of an entry; of a page query with a note, the query.
func textOf(n ast.Node) string {
	var pairs []*ast.MappingValueNode
	switch x := n.(type) {
	case *ast.MappingNode:
		pairs = x.Values
	case *ast.MappingValueNode:
		pairs = []*ast.MappingValueNode{x}
	}
	for _, p := range pairs {
		if p.Key.GetToken().Value == "pages" {
			return p.Value.GetToken().Value
		}
	}
	return n.GetToken().Value
}

// firstLine is the line in which an entry of a list begins, from 0.
func firstLine(n ast.Node) int {
	switch x := n.(type) {
	case *ast.MappingNode:
		if len(x.Values) > 0 && !x.IsFlowStyle {
			n = x.Values[0].Key
		}
	case *ast.MappingValueNode:
		n = x.Key
	}
	return n.GetToken().Position.Line - 1
}

// Blocks are the texts of what stands under each key of a mapping, by key.
func (d *Doc) Blocks(path ...string) map[string]string {
	m, at, depth, err := d.find(path)
	if err != nil || at < 0 || depth < len(path)-1 {
		return nil
	}
	of, err := d.mappingOf(m.fields[at].value, d.fieldEnd(m, at))
	if err != nil || of.flow {
		return nil
	}
	out := map[string]string{}
	for i, f := range of.fields {
		out[f.key] = strings.TrimRight(strings.Join(d.lines[f.line:d.fieldEnd(of, i)], "\n"), " \n")
	}
	return out
}

// Append adds a text to the list of a key, or makes one of its single value.
func (d *Doc) Append(v NewValue, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil {
		return err
	}
	if at < 0 || depth < len(path)-1 {
		return d.Set(v, path...)
	}
	f := m.fields[at]
	text, ok := v.inline(true)
	if !ok {
		return fmt.Errorf("a text of several lines cannot be added to a list")
	}
	if list, isList := f.value.(*ast.SequenceNode); isList && !list.IsFlowStyle && len(list.Values) > 0 {
		last := list.Values[len(list.Values)-1].GetToken().Position
		line := d.lines[last.Line-1]
		dash := strings.Index(line, "- ")
		end := d.fieldEnd(m, at)
		plain, _ := v.inline(false)
		d.splice(end, end, []string{line[:max(dash, 0)] + "- " + plain})
		return nil
	} else if isList {
		at0 := &mapping{from: list.Start.Position.Line - 1}
		at0.col = d.byteCol(at0.from, list.Start.Position.Column)
		old, _, _ := d.flowText(at0)
		inside := strings.TrimRight(old[1:len(old)-1], " ")
		if strings.TrimSpace(inside) != "" {
			inside += ", "
		}
		d.setFlowText(at0, "["+inside+text+"]")
		return nil
	}
	line := d.lines[f.line]
	from := afterKey(line, f.col)
	if from < 0 || !m.flow && d.fieldEnd(m, at) != f.line+1 {
		return fmt.Errorf("the value of %s takes several lines; write it as a list first", f.key)
	}
	to := scanValue(line, from, false)
	if m.flow {
		t, _, _ := d.flowText(m)
		p := flowParts(t)[at]
		to = m.col + len(strings.TrimRight(t[:p[1]], " "))
		if m.from != f.line {
			return fmt.Errorf("the value of %s stands in braces over several lines; write it as a list first", f.key)
		}
	}
	old := line[from:to]
	if quoted := old[0] == '"' || old[0] == '\''; !quoted && strings.ContainsAny(old, ",[]{}") && old[0] != '{' {
		old = scalar(old, true)
	}
	d.lines[f.line] = line[:from] + "[" + old + ", " + text + "]" + line[to:]
	return nil
}

// AppendRule adds a mapping to the end of a list of mappings, such as metadata, and
// makes the list where there is none.
func (d *Doc) AppendRule(v NewValue, path ...string) error {
	m, at, depth, err := d.find(path)
	if err != nil {
		return err
	}
	if at < 0 || depth < len(path)-1 || m == nil {
		lines := append([]string{path[0] + ":"}, v.entry(step)...)
		if len(d.lines) > 0 {
			lines = append([]string{""}, lines...)
		}
		d.splice(len(d.lines), len(d.lines), lines)
		return nil
	}
	f := m.fields[at]
	list, isList := f.value.(*ast.SequenceNode)
	switch {
	case isList && !list.IsFlowStyle && len(list.Values) > 0:
		first := d.lines[list.Start.Position.Line-1]
		dash := strings.Index(first, "-")
		end := d.fieldEnd(m, at)
		d.splice(end, end, v.entry(first[:max(dash, 0)]))
	case isList:
		return d.Append(Raw(v.inFlow()), path...)
	default:
		return fmt.Errorf("%s is not a list", f.key)
	}
	return nil
}

// entry writes a mapping as an entry of a list.
func (v NewValue) entry(indent string) []string {
	var out []string
	for i, k := range v.Keys {
		out = append(out, v.Vals[i].block(k, indent+"  ", step)...)
	}
	if len(out) > 0 {
		out[0] = indent + "- " + strings.TrimPrefix(out[0], indent+"  ")
	}
	return out
}
