package auditcache

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// Dependencies stand between the audit of one page and the site, and note every question about a
// file: what the audit of the page depends on besides the page itself.
type Dependencies struct {
	*site.Weights
	Site  *check.Site // as the audit of the page asks it
	store *Store
	asked map[asked]bool
}

type asked struct {
	kind QuestionKind
	path string
}

// DependenciesOf are those of one page, none yet.
func DependenciesOf(w *site.Weights, known *check.Site, store *Store) *Dependencies {
	a := &Dependencies{Weights: w, store: store, asked: map[asked]bool{}}
	of := known.Known
	hasFile, hasPage, read := of.HasFile, of.HasPage, of.Read
	of.HasFile = func(path string) bool { a.note(HasFile, path); return hasFile(path) }
	of.HasPage = func(path string) bool { a.note(HasPage, path); return hasPage(path) }
	of.Read = func(path string) ([]byte, bool) { a.note(Bytes, path); return read(path) }
	a.Site = known.Through(of)
	return a
}

func (a *Dependencies) note(kind QuestionKind, path string) {
	a.asked[asked{kind, path}] = true
}

// File implements inventory.Weights.
func (a *Dependencies) File(path string) (bytes, gzip int, ok bool) {
	if site.Packed(path) {
		a.note(Size, path)
	} else {
		a.note(Bytes, path)
	}
	return a.Weights.File(path)
}

// followed notes the files that were reached: each of them was read for what it asks for.
func (a *Dependencies) followed(path string, list []inventory.Import) []inventory.Import {
	if path != "" {
		a.note(Bytes, path)
	}
	for i := range list {
		if m := &list[i]; m.Party == "own" {
			a.File(m.Target)
		}
		if by := list[i].By; by != "" {
			a.note(Bytes, by)
		}
	}
	return list
}

// Follow, FollowText, FollowScript, StyleFiles and TextFiles implement inventory.Follower.
func (a *Dependencies) Follow(s *weburl.SiteURL, path string, module bool) []inventory.Import {
	return a.followed(path, a.Weights.Follow(s, path, module))
}

func (a *Dependencies) FollowText(base weburl.Base, s *weburl.SiteURL, text []byte, module bool) []inventory.Import {
	return a.followed("", a.Weights.FollowText(base, s, text, module))
}

func (a *Dependencies) FollowScript(base weburl.Base, s *weburl.SiteURL, path string, text []byte,
	line int) []inventory.Import {
	return a.followed(path, a.Weights.FollowScript(base, s, path, text, line))
}

func (a *Dependencies) StyleFiles(s *weburl.SiteURL, path string) []inventory.Import {
	return a.followed(path, a.Weights.StyleFiles(s, path))
}

func (a *Dependencies) TextFiles(base weburl.Base, text []byte, line int) []inventory.Import {
	return a.followed("", a.Weights.TextFiles(base, text, line))
}

// Questions lists what was asked, with the answers. The site's library of stylesheets and scripts
// reads files once for all pages: those that the page's elements lead to count as read by it.
func (a *Dependencies) Questions(r *inventory.Record) (out []Question) {
	for i := range r.Elements {
		e := &r.Elements[i]
		if e.Party == "own" && e.Ref.Own {
			a.File(e.Ref.Path)
		}
		for _, list := range [][]inventory.Import{e.Imports, e.Brings, e.Files} {
			a.followed("", list)
		}
	}
	for q := range a.asked {
		out = append(out, a.store.Ask(q.kind, q.path))
	}
	return out
}
