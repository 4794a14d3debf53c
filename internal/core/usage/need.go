package usage

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
)

// NeedState is whether a page needs a thing.
type NeedState uint8

const (
	Unused NeedState = iota // nothing on the page asks for it
	Used                    // something does
	Unseen                  // what it does cannot be told from its text
)

// Certainty is how sure it is that a page does not need a thing.
type Certainty uint8

const (
	Possible Certainty = iota // what it looks for was not found, and something may change the page
	Certain                   // its selectors match nothing, and nothing could change that
)

func (c Certainty) String() string { return [...]string{"possible", "certain"}[c] }

// A Need is one thing that a page loads, an item or else a file or an inline text,
// and whether the page needs it.
type Need struct {
	Key       string // the item's name, or what is loaded: a path, or an inline text's digest
	Item      string
	Elements  []int // of the record
	State     NeedState
	Certainty Certainty
	// By is what shows the need: a selector that matches, or a name that is called.
	// For a thing that is unseen it says why; for one that is unused, what it was
	// asked for without a match.
	By    string
	From  string // what calls it by that name: a file or item, or "inline code"
	Doubt string // why nobody can be certain that it is unused
	// Uncalled: it is unused, and By are names that it sets and nothing calls.
	Uncalled bool
	// Selectors are those that match something here, of a kind that a page query
	// can ask for.
	Selectors []string

	sheets     []*Sheet
	scripts    []*Script
	files      []string // for each script the file that an element brings besides its own
	unreadable string   // why a part of it cannot be read
	brings     string   // a picture, a frame or a stylesheet that its code loads
	called     bool     // its functions are called by set-up code of its own
}

// Keep makes a page need a thing, for a reason that is none of its code's.
func (n *Need) Keep(why string) { n.State, n.By, n.From, n.Selectors = Used, why, "", nil }

// A Judge looks at what a page loads.
type Judge struct {
	*Library
	// Judges says which items are made of scripts and stylesheets alone; any other
	// is needed for what it shows. nil for all.
	Judges func(item string) bool
}

// Needs tells, for each script and stylesheet of a page, whether the page needs it,
// in document order. What belongs to one item is one thing, and so are a script and
// the inline code that does nothing but call it.
func (j *Judge) Needs(r *inventory.Record, v *Vocabulary) []*Need {
	p := &judging{Judge: j, record: r, page: v, at: map[[2]string]int{}}
	for i := range r.Elements {
		p.add(i)
	}
	p.join()
	for _, n := range p.things {
		p.direct(n)
	}
	p.byName()
	return p.things
}

type judging struct {
	*Judge
	record  *inventory.Record
	page    *Vocabulary
	things  []*Need
	at      map[[2]string]int // things by key and item
	asks    map[string][]sheetRequest
	words   map[string][]*Need
	foreign bool   // a script of the page is a third party's
	unread  bool   // one of the site's own cannot be read
	loads   string // how one gets more code, that is not seen
	names   string // how one puts names or markup together
	single  bool   // every element is a thing of its own
	// Of all things, once asked for: selectors of rules, hooks, names that are defined, and
	// who uses one.
	rules, hooks, definers map[string]bool
	users                  map[string][]user
	judged                 bool // the states of the things are known
	changed                *string
	proven                 *proof
}

// A user of a name: a thing, and the file of it that does so, if that is one that an element brings.
type user struct {
	need *Need
	file string
}

// add puts an element into its thing.
func (p *judging) add(i int) {
	e := &p.record.Elements[i]
	style := e.IsStylesheet() || e.El.Tag == markup.TagStyle
	if e.Inside == "template" || e.Inside == "noscript" || !style && !e.IsScript() || e.Inside != "" && e.Loads {
		return
	}
	key := e.Item
	switch {
	case p.single:
		key = fmt.Sprint("element ", i)
	case key != "":
	case e.Loads:
		key = e.Target
	default:
		key = "inline " + e.Digest
	}
	if p.at == nil {
		p.at = map[[2]string]int{}
	}
	at, known := p.at[[2]string{key, e.Item}]
	if !known {
		at = len(p.things)
		p.at[[2]string{key, e.Item}] = at
		p.things = append(p.things, &Need{Key: key, Item: e.Item})
	}
	n := p.things[at]
	n.Elements = append(n.Elements, i)
	whole := true
	if style {
		var list []*Sheet
		list, whole = p.SheetsOf(p.record, e)
		n.sheets = append(n.sheets, list...)
	} else {
		whole = p.addScripts(n, e)
	}
	switch {
	case whole:
	case e.Party == "third":
		n.unreadable = "its code is a third party's"
	default:
		n.unreadable = "a file of it is missing, or does not parse"
		if big := p.tooLarge(e); big != "" {
			n.unreadable = big + " is over " + fmt.Sprint(MaxScript>>20) + " MB, and was not read"
		}
	}
}

// addScripts puts the scripts that an element brings into its thing. whole: all of them could be read.
func (p *judging) addScripts(n *Need, e *inventory.Element) (whole bool) {
	list, files, whole := p.scriptsOf(p.record, e)
	n.scripts, n.files = append(n.scripts, list...), append(n.files, files...)
	for _, m := range e.Brings {
		if m.Tag == "link" {
			p.loads = "a link element that it makes"
		}
		if m.Tag != "script" && m.Tag != "import" && !m.Later {
			n.brings = m.Written()
		}
	}
	for _, s := range list {
		if len(s.Unknown.Loads) > 0 {
			p.loads = s.Unknown.Loads[0]
		}
		if len(s.Unknown.Names) > 0 {
			p.names = s.Unknown.Names[0]
		}
	}
	p.foreign = p.foreign || !whole
	p.unread = p.unread || !whole && e.Party != "third"
	return whole
}

// tooLarge is the first script of those that an element brings which is too large to be read.
func (p *judging) tooLarge(e *inventory.Element) string {
	if !e.IsScript() {
		return ""
	}
	files := []string{e.Ref.Path}
	for _, m := range e.Gets() {
		files = append(files, m.Target)
	}
	for _, file := range files {
		if text, ok := p.Read(file); ok && len(text) > MaxScript {
			return file
		}
	}
	return ""
}

// join makes inline code that only calls what one file defines a part of that file.
func (p *judging) join() {
	kept := p.things[:0:0]
	var setUps []*Need
	for _, n := range p.things {
		if n.inline() && len(n.scripts) == 1 && n.scripts[0].onlyCalls() {
			setUps = append(setUps, n)
			continue
		}
		kept = append(kept, n)
	}
	byName := indexNames(kept)
	for _, s := range setUps {
		of := byName.of(s.scripts[0])
		if len(of) != 1 {
			kept = append(kept, s)
			continue
		}
		of[0].Elements = append(of[0].Elements, s.Elements...)
		of[0].called = true
	}
	p.things = kept
}

// A nameIndex says which things define a global name or a member, at most two of each: more
// are not told apart.
type nameIndex struct{ globals, members map[string][]*Need }

func indexNames(things []*Need) nameIndex {
	x := nameIndex{map[string][]*Need{}, map[string][]*Need{}}
	put := func(m map[string][]*Need, name string, n *Need) {
		if l := m[name]; len(l) < 2 && !slices.Contains(l, n) {
			m[name] = append(l, n)
		}
	}
	for _, n := range things {
		if n.Item != "" {
			continue
		}
		for _, s := range n.scripts {
			for _, d := range s.Defines {
				put(x.globals, d, n)
			}
			for _, m := range s.Extends { // under whatever name the other calls it
				put(x.members, m, n)
			}
		}
	}
	return x
}

// of lists the things that a script, which defines nothing, names; two stand for any more.
func (x nameIndex) of(s *Script) (of []*Need) {
	for _, names := range []struct {
		used map[string]bool
		by   map[string][]*Need
	}{{s.Uses, x.globals}, {s.Members, x.members}} {
		for name := range names.used {
			for _, n := range names.by[name] {
				if !slices.Contains(of, n) {
					of = append(of, n)
				}
			}
			if len(of) > 1 {
				return of
			}
		}
	}
	return of
}

// onlyCalls reports whether a script looks for nothing, sets no name and does nothing
// that shows.
func (s *Script) onlyCalls() bool {
	return len(s.Defines)+len(s.Extends) == 0 && len(s.Load.Hooks)+len(s.Held.Hooks) == 0 && s.Load.Static() &&
		s.Held.Static()
}

// setsUp reports whether a thing is inline code that sets names or fills a list: the settings
// or the queue of another script, which reads them when it comes.
func (n *Need) setsUp() bool {
	return n.inline() && slices.ContainsFunc(n.scripts, func(s *Script) bool {
		return len(s.Defines)+len(s.Extends) > 0 || s.Members["push"]
	})
}

// SetsUp reports whether an inline script does nothing but set names, fill a list or call a
// function: the settings or the queue of a script that reads them. sets are the names that it
// sets or fills, calls those that it calls.
func SetsUp(text []byte) (sets, calls []string) {
	s := ReadScript(text, false)
	if s == nil || len(s.Load.Hooks)+len(s.Held.Hooks) > 0 || s.Load.Computed ||
		slices.ContainsFunc(s.Load.Effects, speaks) {
		return nil, nil
	}
	sets = slices.Concat(s.Defines, s.Extends)
	if s.Members["push"] {
		sets = append(sets, s.Load.Calls...)
	}
	return sets, s.Load.Calls
}

// direct tells what the page itself shows of a thing.
func (p *judging) direct(n *Need) {
	if n.Item != "" && p.Judges != nil && !p.Judges(n.Item) {
		n.State, n.By = Used, "it is content itself"
		return
	}
	var unmatched []string
	for _, s := range n.sheets {
		p.sheet(n, s)
		unmatched = append(unmatched, s.samples()...)
	}
	n.queryable()
	if n.Doubt = p.changes(); n.State != Used && n.Doubt == "" && n.unreadable == "" {
		n.Certainty = Certain
		if n.By = p.wants(n); n.By != "" {
			n.State = Used
		}
	}
	if n.State == Used {
		return
	}
	if n.unreadable != "" {
		n.State, n.By = Unseen, n.unreadable
		return
	}
	if p.foreign && n.setsUp() {
		n.State, n.By = Unseen, "a third party's script may read what it sets"
		return
	}
	n.judge(p.scriptSigns(n), unmatched)
}

// signs are what the scripts of a thing do.
type signs struct {
	hooks                   int      // how many elements they look for
	unmatched               []string // of these, the selectors
	computed                bool     // one looks for elements by a text that is put together
	defines, effects, calls []string
}

// scriptSigns looks at what the scripts of a thing do on the page, and sets its state where something needs them.
func (p *judging) scriptSigns(n *Need) (x signs) {
	for _, s := range n.scripts {
		for _, r := range s.reaches(n.called) {
			for i := range r.Hooks {
				p.hook(n, &r.Hooks[i])
				x.unmatched = append(x.unmatched, r.Hooks[i].Selector)
			}
			x.hooks += len(r.Hooks)
			x.effects = append(x.effects, r.Effects...)
			for _, c := range r.Calls {
				if !slices.ContainsFunc(n.scripts, func(own *Script) bool { return slices.Contains(own.Defines, c) }) {
					x.calls = append(x.calls, c)
				}
			}
			x.computed = x.computed || r.Computed
		}
		for _, d := range s.Defines {
			if p.page.Calls(d) && n.State != Used {
				n.State, n.By, n.From = Used, d, "an event handler of the page"
			}
		}
		x.defines = slices.Concat(x.defines, s.Defines, s.Extends)
	}
	return x
}

// hook sets the state of a thing that looks for an element which the page has, or somebody makes.
func (p *judging) hook(n *Need, h *Hook) {
	if h.Match(p.page) {
		if n.State != Used {
			n.State, n.By = Used, h.Selector
		}
		n.Selectors = append(n.Selectors, h.Selector)
	} else if from := p.made(h.needs, n); from != "" && n.State != Used {
		n.State, n.By, n.From = Used, h.Selector, from
	}
}

// judge sets the state of a thing by what its scripts do. unmatched are the selectors of its sheets.
func (n *Need) judge(x signs, unmatched []string) {
	switch {
	case n.State == Used || len(n.scripts) == 0:
	case n.called && x.hooks == 0 && len(x.defines) > 0:
		n.State, n.By, n.From = Used, x.defines[0], "inline code"
	case x.computed:
		n.State, n.By = Unseen, "its code looks for elements by a text that is put together as it runs"
	case n.brings != "":
		n.State, n.By = Unseen, "its code loads "+n.brings
	case slices.ContainsFunc(x.effects, speaks):
		n.State, n.By = Unseen, "its code does more than look for elements: "+strings.Join(x.effects, ", ")
	case x.hooks == 0 && len(x.calls) > 0:
		n.State, n.By = Unseen, "its code calls "+strings.Join(few(x.calls, 3), ", ")+" as it is loaded"
	case x.hooks == 0 && len(x.defines) == 0:
		n.State, n.By = Unseen, "its code looks for nothing that could be missing"
		if len(x.effects) > 0 {
			n.By += ", and does this: " + strings.Join(x.effects, ", ")
		}
	}
	if n.State == Unused {
		n.By = strings.Join(few(append(unmatched, x.unmatched...), 3), ", ")
		if len(x.defines) > 0 && x.hooks == 0 {
			n.By, n.Uncalled = strings.Join(few(x.defines, 3), ", "), true
		}
		if n.By == "" {
			n.State, n.By = Unseen, "it has no selectors and sets no names"
		}
	}
}

// reaches are the parts of a script that run on the page: what its functions do only
// where they are called.
func (s *Script) reaches(called bool) []*Reach {
	if called {
		return []*Reach{&s.Load, &s.Held}
	}
	return []*Reach{&s.Load}
}

// speaks reports whether an effect reaches others than the page: whoever counts or
// sends is not there for an element.
func speaks(effect string) bool {
	switch effect {
	case "document.createElement",
		"document.body", "document.head", "document.documentElement", "document.forms", "document.images",
		"document.links", "document.scripts",
		"document.styleSheets":
		return false
	}
	return true
}

// sheet looks for a selector of a stylesheet that matches, on the page or in what its
// scripts may put there.
func (p *judging) sheet(n *Need, s *Sheet) {
	if sel := s.Match(p.page); sel != "" {
		if n.State != Used {
			n.State, n.By = Used, sel
		}
		n.Selectors = append(n.Selectors, s.present(p.page, sel)...)
		return
	}
	if n.State == Used {
		return
	}
	if name, other := p.asker(s); other != nil {
		n.State, n.By, n.From = Used, name, other.source()
		return
	}
	for _, name := range slices.Sorted(maps.Keys(s.Sets)) {
		if p.page.asks[name] {
			n.State, n.By, n.From = Used, name, "a style attribute of the page"
			return
		}
	}
	for i := range s.Selectors {
		if x := &s.Selectors[i]; !x.vars {
			if from := p.made(x.Needs, nil); from != "" {
				n.State, n.By, n.From = Used, x.Text, from
				return
			}
		}
	}
}

// asker is the first thing with another sheet that asks for a name which a sheet sets, and
// that name.
func (p *judging) asker(s *Sheet) (name string, by *Need) {
	if p.asks == nil {
		p.asks = map[string][]sheetRequest{}
		for i, n := range p.things {
			for _, o := range n.sheets {
				for name := range o.Asks {
					if l := p.asks[name]; len(l) < 2 && (len(l) == 0 || l[0].sheet != o) {
						p.asks[name] = append(l, sheetRequest{i, o})
					}
				}
			}
		}
	}
	first := len(p.things)
	for _, n := range slices.Sorted(maps.Keys(s.Sets)) {
		for _, a := range p.asks[n] {
			if a.sheet != s && a.thing < first {
				first, name, by = a.thing, n, p.things[a.thing]
			}
		}
	}
	return name, by
}

// A sheetRequest is a sheet that asks for a name, and the number of its thing.
type sheetRequest struct {
	thing int
	sheet *Sheet
}

// wordsOf are the first two things whose scripts have a word in their texts.
func (p *judging) wordsOf(word string) []*Need {
	if p.words == nil {
		p.words = map[string][]*Need{}
		for _, n := range p.things {
			for _, s := range n.scripts {
				for w := range s.Words {
					if l := p.words[w]; len(l) < 2 && !slices.Contains(l, n) {
						p.words[w] = append(l, n)
					}
				}
			}
		}
	}
	return p.words[word]
}

// fewThings is how many things of a page are looked through one by one; for more, an index of
// their words is made.
const fewThings = 40

// made returns the script, of any thing but one, that has the names in its texts which
// the page lacks for a selector to match.
func (p *judging) made(needs []string, but *Need) (from string) {
	for _, name := range needs {
		if p.page.Has(name) {
			continue
		}
		word := strings.TrimLeft(name, ".#[")
		among := p.things
		if len(among) > fewThings {
			among = p.wordsOf(word)
		}
		by := slices.IndexFunc(among, func(n *Need) bool {
			return n != but && slices.ContainsFunc(n.scripts, func(x *Script) bool {
				return x.Words[word] || strings.HasPrefix(name, "[data-") && x.Members["dataset"]
			})
		})
		if by < 0 {
			return ""
		}
		from = among[by].source()
	}
	return from
}

// present lists names of a sheet that stand on the page and of which each alone is a
// selector of it: what a page query can ask for.
func (s *Sheet) present(v *Vocabulary, first string) (out []string) {
	for _, n := range s.Names {
		if s.plain[n] && n[0] != '[' && v.Has(n) && len(out) < 16 {
			out = append(out, n)
		}
	}
	return append(out, first)
}

// samples are the first selectors of a sheet.
func (s *Sheet) samples() (out []string) {
	for i := range s.Selectors {
		if len(s.Selectors[i].Needs) > 0 && len(out) < 3 {
			out = append(out, s.Selectors[i].Text)
		}
	}
	return out
}

// queryable leaves out the selectors that a page query cannot ask for.
func (n *Need) queryable() {
	n.Selectors = slices.DeleteFunc(n.Selectors,
		func(s string) bool { _, err := markup.ParseSelector(s); return err != nil })
}

// byName makes things needed that a needed script calls by a name they define. Each name is
// looked up once: whoever calls it first calls all that define it, himself apart.
func (p *judging) byName() {
	globals, members := map[string][]*Need{}, map[string][]*Need{}
	for _, n := range p.things {
		if n.State != Unused {
			continue
		}
		for _, s := range n.scripts {
			for _, d := range s.Defines {
				globals[d] = append(globals[d], n)
			}
			for _, m := range s.Extends { // under whatever name the other calls it
				members[m] = append(members[m], n)
			}
		}
	}
	if len(globals)+len(members) == 0 {
		return
	}
	var queue []*Need
	for _, n := range p.things {
		if n.State != Unused {
			queue = append(queue, n)
		}
	}
	for len(queue) > 0 {
		caller := queue[0]
		queue = queue[1:]
		call := func(by map[string][]*Need, name string) {
			for _, n := range by[name] {
				if n.State == Unused {
					n.State, n.By, n.From = Used, name, caller.source()
					queue = append(queue, n)
				}
			}
			delete(by, name)
		}
		for _, s := range caller.scripts {
			if s.usesAny {
				for d := range globals {
					if !slices.Contains(s.Defines, d) {
						call(globals, d)
					}
				}
			}
			for _, d := range slices.Sorted(maps.Keys(s.Uses)) {
				if s.Uses[d] && len(globals[d]) > 0 && !slices.Contains(s.Defines, d) {
					call(globals, d)
				}
			}
			for _, m := range slices.Sorted(maps.Keys(s.Members)) {
				if s.Members[m] {
					call(members, m)
				}
			}
		}
	}
}

// inline reports whether the thing is code in the page that belongs to no item.
func (n *Need) inline() bool { return n.Item == "" && strings.HasPrefix(n.Key, "inline ") }

// source names a thing where all pages are reported together.
func (n *Need) source() string {
	if n.inline() {
		return "inline code"
	}
	return n.Key
}

// label names a thing of one page.
func (n *Need) label(r *inventory.Record) string {
	if n.inline() {
		e := &r.Elements[n.Elements[0]]
		return fmt.Sprintf("the %s in line %d", e.Tag, e.Line)
	}
	return n.Key
}

// few are the first of a list, each once, and an ellipsis for more.
func few(list []string, most int) (out []string) {
	for _, s := range list {
		if slices.Contains(out, s) {
			continue
		}
		if len(out) == most {
			return append(out, "…")
		}
		out = append(out, s)
	}
	return out
}
