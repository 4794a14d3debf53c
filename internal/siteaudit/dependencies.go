package siteaudit

import (
	"bytes"
	"path/filepath"
	"strconv"
	"strings"

	"yellowgate/internal/auditcache"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// dependencies stand between the audit of one page and the site, and note every question about a
// file: what the audit of the page depends on besides the page itself.
type dependencies struct {
	*site.Weights
	site  *check.Site
	store *auditcache.Store
	asked map[question]bool
}

type question struct {
	kind auditcache.QuestionKind
	path string
}

func dependenciesOf(w *site.Weights, known *check.Site, store *auditcache.Store) *dependencies {
	a := &dependencies{Weights: w, store: store, asked: map[question]bool{}}
	of := known.Known
	hasFile, hasPage, read := of.HasFile, of.HasPage, of.Read
	of.HasFile = func(path string) bool { a.note(auditcache.HasFile, path); return hasFile(path) }
	of.HasPage = func(path string) bool { a.note(auditcache.HasPage, path); return hasPage(path) }
	of.Read = func(path string) ([]byte, bool) { a.note(auditcache.Bytes, path); return read(path) }
	a.site = known.Through(of)
	return a
}

func (a *dependencies) note(kind auditcache.QuestionKind, path string) {
	a.asked[question{kind, path}] = true
}

// File implements inventory.Weights.
func (a *dependencies) File(path string) (bytes, gzip int, ok bool) {
	if site.Packed(path) {
		a.note(auditcache.Size, path)
	} else {
		a.note(auditcache.Bytes, path)
	}
	return a.Weights.File(path)
}

// followed notes the files that were reached: each of them was read for what it asks for.
func (a *dependencies) followed(path string, list []inventory.Import) []inventory.Import {
	if path != "" {
		a.note(auditcache.Bytes, path)
	}
	for i := range list {
		if m := &list[i]; m.Party == "own" {
			a.File(m.Target)
		}
		if by := list[i].By; by != "" {
			a.note(auditcache.Bytes, by)
		}
	}
	return list
}

// Follow, FollowText, FollowScript, StyleFiles and TextFiles implement inventory.Follower.
func (a *dependencies) Follow(s *weburl.SiteURL, path string, module bool) []inventory.Import {
	return a.followed(path, a.Weights.Follow(s, path, module))
}

func (a *dependencies) FollowText(base weburl.Base, s *weburl.SiteURL, text []byte, module bool) []inventory.Import {
	return a.followed("", a.Weights.FollowText(base, s, text, module))
}

func (a *dependencies) FollowScript(base weburl.Base, s *weburl.SiteURL, path string, text []byte,
	line int) []inventory.Import {
	return a.followed(path, a.Weights.FollowScript(base, s, path, text, line))
}

func (a *dependencies) StyleFiles(s *weburl.SiteURL, path string) []inventory.Import {
	return a.followed(path, a.Weights.StyleFiles(s, path))
}

func (a *dependencies) TextFiles(base weburl.Base, text []byte, line int) []inventory.Import {
	return a.followed("", a.Weights.TextFiles(base, text, line))
}

// questions lists what was asked, with the answers. The site's library of stylesheets and scripts
// reads files once for all pages: those that the page's elements lead to count as read by it.
func (a *dependencies) questions(r *inventory.Record) (out []auditcache.Question) {
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

// answers says what holds of the site's files now.
func (s *auditing) answers(kind auditcache.QuestionKind, path string) (a auditcache.Answer) {
	switch kind {
	case auditcache.HasFile:
		a.Is = s.known.HasFile(path)
	case auditcache.HasPage:
		a.Is = s.known.HasPage(path)
	case auditcache.Size:
		var n int
		n, _, a.Is = s.weights.File(path)
		a.Number = int64(n)
	case auditcache.Bytes:
		b, ok := s.read(path)
		if a.Is = ok; ok {
			a.Number, a.Sum = int64(len(b)), s.store.Digest(b)
		}
	}
	return a
}

// remember opens what the last audit found.
func (s *auditing) remember() {
	if s.NoCache || s.Browser != nil || len(s.Saved) > 0 || s.Project == nil || s.Records || s.Each != nil ||
		s.Names != nil {
		return
	}
	folder, err := filepath.Abs(s.Dir)
	if err != nil {
		return
	}
	files := make([]string, len(s.pages))
	for i := range s.pages {
		files[i] = s.pages[i].File
	}
	s.store = auditcache.Open(s.Project.Dir, folder, files, s.context(), s.answers)
}

// context is what every page depends on: the gate with its facts and the tool, the site's
// stylesheets, with which all pages are compared, and the names of its scripts.
func (s *auditing) context() []byte {
	var of bytes.Buffer
	add := func(words ...string) {
		for _, w := range words {
			of.WriteString(w)
			of.WriteByte(0)
		}
	}
	add(version.Number, version.Build(), s.result.Gate, s.Address, s.known.Addresses.Told(), s.result.Below,
		strconv.FormatBool(s.known.Nowhere))
	if s.ledger != nil {
		add("output")
	}
	for _, file := range s.known.Code {
		add(file)
		if strings.HasSuffix(file, ".css") {
			if b, ok := s.read(file); ok {
				of.Write(b)
				of.WriteByte(0)
			}
		}
	}
	return of.Bytes()
}
