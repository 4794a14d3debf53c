package usage

import (
	"fmt"

	"yellowgate/internal/core/inventory"
)

// A Loss is an item that goes out of a page which seems to need it.
type Loss struct {
	Item string
	What string // would break, as the end of "goes out of the page, and "
}

// Lost tells which items, of those that go out of a page, it seems to need: before
// has them, after has not, and v is the vocabulary of after. What stays may do the
// work of what goes: another stylesheet with the same selector, another script that
// looks for the same or defines the same name.
func (j *Judge) Lost(before, after *inventory.Record, v *Vocabulary, goes func(item string) bool) (out []Loss) {
	was := &judging{Judge: j, record: before, page: v}
	for i := range before.Elements {
		was.add(i)
	}
	is := &judging{Judge: j, record: after, page: v}
	for i := range after.Elements {
		is.add(i)
	}
	for _, n := range was.things {
		if n.Item == "" || !goes(n.Item) || j.Judges != nil && !j.Judges(n.Item) {
			continue
		}
		if what := is.breaks(n); what != "" {
			out = append(out, Loss{n.Item, what})
		}
	}
	return out
}

// breaks says what of a page would break without a thing that goes; "" for nothing.
func (p *judging) breaks(gone *Need) string {
	for _, s := range gone.sheets {
		for i := range s.Selectors {
			x := &s.Selectors[i]
			if len(x.Needs) == 0 || !x.in(p.page) || p.styled(x.Text) {
				continue
			}
			if x.match(p.page) {
				return x.Text + " is on the page, and nothing else that it loads has a rule for that"
			}
		}
	}
	for _, s := range gone.scripts {
		for _, d := range s.Defines {
			if by := p.calls(d); by != "" {
				return fmt.Sprintf("%s calls %s, which nothing else defines", by, d)
			}
		}
		for i := range s.Load.Hooks {
			h := &s.Load.Hooks[i]
			if h.parsed == nil || h.Selector == "*" || always[h.Selector] ||
				p.looksFor(h.Selector) { // what every page has tells nothing
				continue
			}
			if h.Match(p.page) {
				return h.Selector + " is on the page, and no other script of the page looks for it"
			}
		}
	}
	return ""
}

// styled reports whether a stylesheet of the page has a selector.
func (p *judging) styled(selector string) bool {
	if p.rules == nil {
		p.rules = map[string]bool{}
		for _, n := range p.things {
			for _, s := range n.sheets {
				for i := range s.Selectors {
					p.rules[s.Selectors[i].Text] = true
				}
			}
		}
	}
	return p.rules[selector]
}

// looksFor reports whether a script of the page has a hook.
func (p *judging) looksFor(selector string) bool {
	if p.hooks == nil {
		p.hooks = map[string]bool{}
		for _, n := range p.things {
			for _, s := range n.scripts {
				for _, r := range []*Reach{&s.Load, &s.Held} {
					for i := range r.Hooks {
						p.hooks[r.Hooks[i].Selector] = true
					}
				}
			}
		}
	}
	return p.hooks[selector]
}

// calls names what on the page calls a name that no script of the page defines.
func (p *judging) calls(global string) (by string) {
	if p.users == nil {
		p.users, p.definers = map[string][]user{}, map[string]bool{}
		for _, n := range p.things {
			for k, s := range n.scripts {
				for _, d := range s.Defines {
					p.definers[d] = true
				}
				for g, used := range s.Uses {
					if used && !s.guards(g) {
						p.users[g] = append(p.users[g], user{n, n.files[k]})
					}
				}
			}
		}
	}
	if p.definers[global] {
		return ""
	}
	callers := p.users[global]
	if p.page.Calls(global) {
		return "an event handler of the page"
	}
	if len(callers) > 0 && !p.judged { // that may take a tree of the page
		p.judged = true
		for _, n := range p.things {
			p.direct(n)
		}
		p.byName()
	}
	for _, c := range callers {
		if c.need.State == Unused {
			continue
		}
		if c.file != "" {
			return c.file
		}
		return c.need.label(p.record)
	}
	return ""
}
