package gatecheck

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

// Spelling asks whether the site calls its pages otherwise than the gate does, which then writes canonicals that the
// site never uses. Where the gate writes no address, nobody is asked.
type Spelling struct {
	key  *gatefile.Key // that writes addresses; nil for none
	vote *weburl.Vote
}

// NewSpelling begins with the pages of a folder.
func NewSpelling(g *gatefile.Gate, pages []page.Page) *Spelling {
	s := &Spelling{key: writesAddresses(g)}
	if s.key != nil {
		s.vote = weburl.NewVote(g.Site.Spelling, pages)
	}
	return s
}

// Asks reports whether the gate writes addresses.
func (s *Spelling) Asks() bool { return s.key != nil }

// Add takes what a page, or a sitemap, calls others. Of a page that a server sent it is known already.
func (s *Spelling) Add(text []byte, base weburl.Base) {
	if s.key != nil {
		s.vote.Add(text, base)
	}
}

// Problems is what was found.
func (s *Spelling) Problems() (out []problem.Problem) {
	if s.key == nil {
		return nil
	}
	for _, r := range s.vote.Results() {
		name := "extensionless"
		if strings.HasSuffix(r.Path, "/") {
			name = "slashless"
		}
		out = append(out, problem.Problem{
			Severity: problem.Warning, Name: problem.OtherSpelling, Pos: s.key.Pos,
			Message: fmt.Sprintf("the site's links say %s, and %s writes %s: so on %d pages",
				r.Written, s.key.Name, r.Path, len(r.Pages)),
			Remedy: fmt.Sprintf("set site.%s: true, if the web server answers there", name),
		})
	}
	return out
}

// writesAddresses is the first metadata key whose value holds a page's address; nil for none.
func writesAddresses(g *gatefile.Gate) *gatefile.Key {
	writes := func(t *placeholder.Template) bool {
		for _, p := range t.Pieces {
			if p.Placeholder == nil {
				continue
			}
			for _, o := range p.Placeholder.Options {
				if o.Name == "page.url" || o.Name == "page.path" {
					return true
				}
			}
		}
		return false
	}
	of := func(keys []gatefile.Key) *gatefile.Key {
		for i := range keys {
			for _, v := range keys[i].Values {
				if v.Value != nil && writes(v.Value) {
					return &keys[i]
				}
			}
		}
		return nil
	}
	for _, r := range g.Rules {
		if k := of(r.Keys); k != nil {
			return k
		}
	}
	for _, p := range g.Pages {
		if k := of(p.Keys); k != nil {
			return k
		}
	}
	return nil
}
