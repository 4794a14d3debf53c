// Package firstgate makes a first gate file for a folder, in which everything found has a name and stays as it is.
package firstgate

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/usage"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/failure"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
)

// Make makes a gate file for a folder in which everything found has a name and
// stays as it is. It does not write over a file.
func Make(dir, gateFile string, s *result.Survey) (*result.FirstGate, error) {
	if _, err := os.Lstat(gateFile); err == nil {
		return nil, &failure.Usage{
			Message: gateFile + " exists already",
			Remedy:  "name another file with --gate FILE, or add to this one: yellowgate add",
		}
	}
	f := &result.FirstGate{File: gateFile}
	var b bytes.Buffer
	source, err := filepath.Rel(filepath.Dir(gateFile), dir)
	if err != nil {
		source = dir
	}
	source = filepath.ToSlash(source)
	out := "public"
	if source == out {
		out = "gated"
	}
	fmt.Fprintf(&b,
		"# What loads on which pages. Everything that was found has a name here and stays\n"+
			"# as it is; change pages, or add except, to decide.\nyellowgate: 1\n\nsite:\n"+
			"  # name: and url: (the site's address) are for titles and canonicals\n  source: %s\n  output: %s\n\n"+
			"items:\n", yamlText(source), out)
	names := map[string]bool{}
	for _, x := range together(matchersOf(s.Loads)) {
		if x.matcher == "" {
			f.LeftOut = append(f.LeftOut, result.LeftOut{What: wording.Cut(x.Target, 60), Pages: x.Pages})
			continue
		}
		name := NameOf(cmp.Or(x.name, x.Load), names)
		names[name] = true
		f.Items++
		about := countOf(x.Pages, s.Pages)
		if x.variants > 1 {
			about += fmt.Sprintf(", in %d variants", x.variants)
		}
		fmt.Fprintf(&b, "\n  %s:%s\n    found:%s\n    pages: %s\n", name, "  # on "+about+weightOf(x.Load), x.found(),
			everywhere(cmp.Or(x.stands, x.Load)))
	}
	for _, l := range f.LeftOut {
		fmt.Fprintf(&b, "\n  # left out, since nothing in it distinguishes it from others: %s (on %s)\n", l.What,
			countOf(l.Pages, s.Pages))
	}
	if f.Items == 0 {
		b.Truncate(b.Len() - len("\nitems:\n"))
	}
	f.Text = b.Bytes()
	return f, publish.WriteFile(
		gateFile,
		publish.FileOptions{},
		func(w io.Writer) error { _, err := w.Write(f.Text); return err },
	)
}

// together puts the settings of a third party's script to that script: inline code that only
// sets names or fills a list, on the pages of one such script and no other.
func together(all []foundLoad) []foundLoad {
	vendors := map[uint64][]int{}
	for i, x := range all {
		if x.Party == "third" && x.Tag == "script" && x.matcher != "" {
			vendors[x.On] = append(vendors[x.On], i)
		}
	}
	taken := map[int]bool{}
	names := map[string]bool{} // that set-ups set
	for range 2 {              // first those that set names, then those that call them
		for i, x := range all {
			of := vendors[x.On]
			if len(of) != 1 || taken[i] || x.Party != "inline" || x.Tag != "script" || x.matcher == "" {
				continue
			}
			sets, calls := usage.SetsUp([]byte(x.Text))
			if len(sets) == 0 && !slices.ContainsFunc(calls, func(n string) bool { return names[n] }) {
				continue
			}
			for _, n := range sets {
				names[n] = true
			}
			all[of[0]].setUps = append(all[of[0]].setUps, x.matcher)
			taken[i] = true
		}
	}
	out := all[:0:0]
	for i, x := range all {
		if !taken[i] {
			out = append(out, x)
		}
	}
	return out
}

// found is what the gate file has as found: one matcher, or the list of several.
func (x *foundLoad) found() string {
	if len(x.setUps) == 0 {
		return " " + x.matcher
	}
	return "\n      - " + strings.Join(append([]string{x.matcher}, x.setUps...), "\n      - ")
}

// everywhere chooses all pages that have a thing. Pages that lead elsewhere at once are not
// among all.
func everywhere(l *result.Load) string {
	const redirects = `has(meta[http-equiv="refresh" i])`
	switch l.Redirects {
	case 0:
		return "all"
	case l.Pages:
		return redirects
	}
	return "all or " + redirects
}

func countOf(n, of int) string {
	if n == of {
		return fmt.Sprintf("all %d pages", n)
	}
	return fmt.Sprintf("%d of %d pages", n, of)
}

func weightOf(l *result.Load) string {
	switch {
	case l.Dead:
		return ", and the site has no such file"
	case l.Bytes > 0:
		if l.Bytes < 100 {
			return fmt.Sprintf(", %d bytes", l.Bytes)
		}
		return fmt.Sprintf(", %.1f kB", float64(l.Bytes)/1000)
	}
	return ""
}

func yamlText(s string) string {
	d := gateedit.Read(nil)
	if d.Set(gateedit.Text(s), "x") != nil {
		return s
	}
	return strings.TrimPrefix(strings.TrimSpace(string(d.Bytes())), "x: ")
}

// A foundLoad is a load that was found, or several that one matcher finds.
type foundLoad struct {
	*result.Load
	name     *result.Load // the same by the name that it has in every build
	matcher  string       // as the gate file has it; "" where none would find it alone
	variants int          // inline texts that are one but for values in them
	setUps   []string     // matchers of its settings, inline code beside it
	stands   *result.Load // the sum of what loads it, where several tags do
}

// matchersOf gives each thing that was found the matcher that finds it and nothing else.
// What loads one URL by several tags is one thing, and so are inline texts that are one
// but for the values in them.
func matchersOf(loads []*result.Load) (out []foundLoad) {
	byPath := map[string]map[string]bool{} // by URL without query: the queries
	builds := buildsOf(loads)
	shapes := map[string][]*result.Load{}
	var texts []string
	for _, l := range loads {
		if l.Party == "inline" {
			shapes[shapeOf(l.Text)] = append(shapes[shapeOf(l.Text)], l)
			texts = append(texts, l.Text)
			continue
		}
		if l.By != "" {
			continue // no element that a matcher could find
		}
		path, query := builds.stable(l)
		if byPath[path] == nil {
			byPath[path] = map[string]bool{}
		}
		byPath[path][query] = true
	}
	seen := map[string]bool{}
	for _, l := range loads {
		if l.Party == "inline" {
			if shape := shapeOf(l.Text); !seen["text "+shape] {
				seen["text "+shape] = true
				out = append(out, inlineMatchers(shapes[shape], texts)...)
			}
			continue
		}
		if l.By != "" || l.Tag != "script" && l.Tag != "link" && l.Tag != "iframe" && l.Tag != "pixel" {
			continue
		}
		path, query, glob := builds.globOf(l, loads)
		if len(byPath[path]) > 1 { // others differ by query alone
			if query == "" {
				glob = ""
			} else {
				glob += "?" + globText(query)
			}
		}
		switch {
		case seen["url "+path+"?"+query]: // by another tag
			for i := range out {
				if p, q := builds.stable(out[i].Load); p == path && q == query && out[i].Party != "inline" {
					both := *out[i].Load
					both.Pages, both.Redirects = both.Pages+l.Pages, both.Redirects+l.Redirects
					out[i].stands = &both
				}
			}
		case glob == "":
			out = append(out, foundLoad{Load: l})
		default:
			out = append(out, foundLoad{Load: l, name: builds.named(l), matcher: "{url: " + yamlText(glob) + "}", variants: 1})
		}
		seen["url "+path+"?"+query] = true
	}
	return out
}

// inlineMatchers finds inline texts of one shape by what they have in common or, where that is nothing that they
// alone have, each by itself.
func inlineMatchers(alike []*result.Load, texts []string) (out []foundLoad) {
	x := inlineMatcher(alike, texts)
	if x.matcher != "" || len(alike) == 1 || len(alike) > mostAlike {
		return []foundLoad{x}
	}
	for _, one := range alike {
		out = append(out, inlineMatcher([]*result.Load{one}, texts))
	}
	return out
}

// globOf is the URL of what is loaded, without what changes with each build, and a glob that finds it.
func (b builds) globOf(l *result.Load, loads []*result.Load) (path, query, glob string) {
	path, query = b.stable(l)
	glob = strings.ReplaceAll(globText(path), changing, "*")
	if strings.Contains(path, changing) && slices.ContainsFunc(loads, func(other *result.Load) bool {
		p, _ := b.stable(other)
		return p != path && other.Party == l.Party && pageedit.MatchURL(glob, p)
	}) { // what is left finds another file, too
		path, query = withoutFragment(l.Target)
		glob = globText(path)
	}
	return path, query, glob
}

// mostAlike is how many inline texts of one shape are named one by one.
const mostAlike = 8

func withoutFragment(target string) (path, query string) {
	target, _, _ = strings.Cut(target, "#")
	path, query, _ = strings.Cut(target, "?")
	return path, query
}

// MatcherOf is the matcher that finds one thing, given the inline texts of all pages; ""
// where none would find it alone.
func MatcherOf(l *result.Load, texts []string) string {
	if l.Party == "inline" {
		return inlineMatcher([]*result.Load{l}, texts).matcher
	}
	if found := matchersOf([]*result.Load{l}); len(found) > 0 {
		return found[0].matcher
	}
	return ""
}

// values are what differs in inline texts that are one: texts in quotes, and numbers.
var values = regexp.MustCompile(`"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|[0-9][0-9.]*`)

func shapeOf(text string) string {
	return strings.Join(strings.Fields(values.ReplaceAllString(text, "\x00")), " ")
}

// inlineMatcher finds inline texts of one shape: by a line of theirs that no other text
// has, or as a whole.
func inlineMatcher(same []*result.Load, texts []string) foundLoad {
	x := foundLoad{Load: same[0], variants: len(same)}
	if len(same) > 1 { // of all of them
		sum := *same[0]
		for _, l := range same[1:] {
			sum.Pages += l.Pages
			sum.Redirects += l.Redirects
		}
		x.Load = &sum
	}
	mine := map[string]bool{}
	for _, l := range same {
		mine[l.Text] = true
	}
	line := ""
	if len(texts) <= manyTexts {
		line = ownLine(same[0].Text, texts, mine)
	}
	if line != "" {
		x.matcher = "{text: " + singleQuoted(regexp.QuoteMeta(line)) + "}"
	} else if text := strings.TrimSpace(same[0].Text); len(same) == 1 && text != "" && len(text) <= 2000 {
		x.matcher = "{text: " + singleQuoted(`^\s*`+strings.ReplaceAll(regexp.QuoteMeta(text), "\n", `\n`)+`\s*$`) + "}"
	}
	return x
}

// manyTexts is how many inline texts a site may have for lines of one to be looked for in all
// others; with more, a text is found as a whole.
const manyTexts = 1000

// ownLine is a line of an inline text, or a piece of one, that stands in all texts that are
// mine and in no other: the first of eight letters and more, else the longest.
func ownLine(text string, texts []string, mine map[string]bool) (own string) {
	for x := range strings.Lines(text) {
		pieces := []string{strings.TrimSpace(x)}
		if len(mine) > 1 { // what stands around the values
			pieces = values.Split(pieces[0], -1)
		}
		for _, piece := range pieces {
			line := strings.TrimSpace(piece)
			if r := []rune(line); len(r) > 60 {
				line = string(r[:60])
				if before := strings.TrimSpace(values.Split(string(r), 2)[0]); len(before) >= 8 && len(before) <= 60 {
					line = before // what each build may make anew is mostly a value
				}
			}
			if len(line) <= len(own) || len(mine) > 1 && len(line) < 8 ||
				slices.ContainsFunc(texts,
					func(other string) bool { return mine[other] != strings.Contains(other, line) }) {
				continue
			}
			if own = line; len(own) >= 8 {
				return own
			}
		}
	}
	return own
}

func singleQuoted(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// globText writes a URL as a glob that matches it alone.
func globText(s string) string {
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, "{", `\{`).Replace(s)
}

// NameOf makes up a name: from the file, the host or the first words.
func NameOf(l *result.Load, taken map[string]bool) string {
	base := ""
	if l.Party == "inline" {
		words := strings.Split(gateedit.Name(l.Target), "-")
		for _, w := range words {
			if len(w) >= 3 && !strings.Contains(base, w) && w != "var" && w != "function" && w != "window" &&
				w != "document" &&
				w != "const" &&
				w != "let" {
				base += "-" + w
			}
			if strings.Count(base, "-") == 2 {
				break
			}
		}
		base = "inline" + base
	} else {
		u, err := url.Parse(l.Target)
		if err != nil {
			u = &url.URL{Path: l.Target}
		}
		base = strings.TrimSuffix(path.Base(u.Path), path.Ext(u.Path))
		if base == "/" || base == "." || base == "index" {
			base = u.Host + path.Dir(u.Path)
		}
		switch {
		case l.Tag == "link" && strings.HasSuffix(u.Path, ".css"):
			base += "-style"
		case l.Tag == "link" && (path.Ext(u.Path) == ".js" || path.Ext(u.Path) == ".mjs"): // preloaded
		case l.Tag == "link" && strings.HasPrefix(path.Ext(u.Path), ".woff"):
			base += "-font"
		case l.Tag == "pixel":
			base += "-pixel"
		case l.Tag == "iframe":
			base += "-frame"
		case l.Tag == "link":
			base += "-icon"
		}
	}
	base = gateedit.Name(base)
	if base == "" {
		base = l.Tag
	}
	name := base
	for i := 2; taken[name]; i++ {
		name = fmt.Sprintf("%s-%d", base, i)
	}
	return name
}
