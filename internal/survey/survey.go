// Package survey takes the inventory of a folder: what its pages load, where a word occurs, what one page has.
package survey

import (
	"cmp"
	"context"
	"hash/maphash"
	"sort"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// Survey takes the inventory of the pages in a folder. project, which may be
// nil, says which items things belong to. each, if set, is called for every
// record, in the order of the files.
func Folder(ctx context.Context, dir string, project *project.Project, progress parallel.Progress,
	each func(*inventory.Record) error) (*result.Survey, error) {
	s := newSurvey(dir, project)
	from, err := site.OpenFolder(dir, false)
	if err != nil {
		return nil, err
	}
	files, _, err := from.List(s.skip)
	if err != nil {
		return nil, err
	}
	pages, err := s.pages(files, from)
	if err != nil {
		return nil, err
	}
	s.weights = site.NewWeights(dir, files)
	type taken struct {
		record *inventory.Record
		buf    *site.Buffer
	}
	err = parallel.InOrder(ctx, len(pages), func(i int) (taken, error) {
		buf := site.GetBuffer()
		b, err := from.ReadInto(buf, pages[i].File)
		if err != nil {
			return taken{}, err
		}
		return taken{s.take(b, pages[i]), buf}, nil
	}, func(i int, t taken) error {
		defer t.buf.Release()
		if progress != nil {
			progress(i+1, len(pages))
		}
		s.add(i, t.record)
		if each == nil {
			return nil
		}
		return each(t.record)
	})
	if err != nil {
		return nil, err
	}
	return s.finish(), nil
}

// One takes the inventory of one page given as bytes.
func One(file []byte, path string, project *project.Project) *inventory.Record {
	s := newSurvey(".", project)
	s.weights = site.NewWeights(".", nil)
	return s.take(file, page.Page{Path: page.Clean(path), File: "-"})
}

type survey struct {
	result.Survey
	project *project.Project
	gate    *pageedit.Gate
	site    *weburl.SiteURL
	weights *site.Weights
	byKey   map[loadKey]*result.Load
	seed    maphash.Seed
}

type loadKey struct {
	tag, target string
	text        uint64
}

func newSurvey(dir string, project *project.Project) *survey {
	s := &survey{
		Survey:  result.Survey{Dir: dir},
		project: project,
		site:    weburl.NewSite(""),
		byKey:   map[loadKey]*result.Load{},
		seed:    maphash.MakeSeed(),
	}
	if project != nil {
		s.gate, s.site = project.Gate, project.Gate.Site
	}
	return s
}

func (s *survey) skip(rel string, dir bool) bool {
	if s.project != nil && s.project.Source == s.Dir {
		return s.project.Skip(rel, dir)
	}
	return site.Hidden(rel)
}

func (s *survey) pages(files []site.File, from site.Store) ([]page.Page, error) {
	if s.project == nil {
		return site.Told(site.PagesAnyway(files), from), nil
	}
	pages, err := s.project.PagesOf(files)
	return site.Told(pages, from), err
}

func (s *survey) take(file []byte, known page.Page) *inventory.Record {
	src := markup.ReadAs(file, known.Answer.Charset())
	if s.gate == nil {
		return inventory.TakeScanned(src, markup.ScanTags(src.Text, nil), known, s.site, s.weights)
	}
	r := inventory.TakeScanned(src, s.gate.ScanAll(src), known, s.site, s.weights)
	itemmatch.NameOwners(r, s.gate)
	return r
}

// add counts a page's elements and what they import.
func (s *survey) add(n int, r *inventory.Record) {
	s.Bytes += int64(r.Bytes)
	if r.Fragment {
		s.Fragments++
	} else {
		s.Pages++
	}
	s.addMedia(n, r)
	for i := range r.Elements {
		e := &r.Elements[i]
		key := loadKey{tag: e.Tag}
		switch {
		case e.Inside == "template" || e.Inside == "noscript" && !e.Pixel:
			continue
		case e.Loads:
			key.target = e.Target
		case (e.Tag == "script" || e.Tag == "style") && e.URL == "" && e.Bytes > 0:
			key.text = maphash.Bytes(s.seed, r.Source.Text[e.El.TagEnd:e.El.ContentEnd])
		default:
			continue
		}
		l := s.byKey[key]
		if l == nil {
			tag := e.Tag
			if e.Pixel {
				tag = "pixel"
			}
			l = s.load(key,
				&result.Load{Tag: tag, Target: e.Target, Party: e.Party, Bytes: e.Bytes, Gzip: e.Gzip, Item: e.Item})
			l.Dead = e.Party == "own" && e.Loads && !s.weights.Has(e.Ref.Path) && e.Tag != "iframe"
			if !e.Loads {
				l.Text = r.Source.String(e.El.TagEnd, e.El.ContentEnd)
				l.Target = InlineLabel(l.Text)
			}
		}
		addLoad(l, n, r, e)
		for _, m := range e.Gets() {
			tag := cmp.Or(m.Tag, "import")
			key := loadKey{tag: "by code " + tag, target: m.Target}
			l := s.byKey[key]
			if l == nil {
				l = s.load(
					key,
					&result.Load{
						Tag:    tag,
						By:     cmp.Or(m.By, "inline code"),
						Target: m.Target, Party: m.Party, Bytes: m.Bytes, Gzip: m.Gzip, Item: e.Item,
						Dead: m.Dead,
					},
				)
			}
			addLoad(l, n, r, e)
		}
	}
}

// addMedia counts what a page shows and plays.
func (s *survey) addMedia(n int, r *inventory.Record) {
	add := func(kind string, l result.Load, e *inventory.Element) {
		key := loadKey{tag: kind, target: l.Target}
		have := s.byKey[key]
		if have == nil {
			l.Kind = kind
			l.Runs, l.Area, l.LastPage = map[string]int{}, map[string]int{}, -1
			have = &l
			s.byKey[key] = have
			s.Media = append(s.Media, have)
		}
		addLoad(have, n, r, e)
	}
	for i := range r.Media {
		e := &r.Media[i]
		if e.Inside == "template" {
			continue
		}
		if e.Ref.URL != "" && !e.Ref.Data {
			add(
				e.Kind(),
				result.Load{
					Tag: e.Tag, Target: e.Target, Party: e.Party, Bytes: e.Bytes, Gzip: e.Gzip,
					Dead: e.Party == "own" && !s.weights.Has(e.Ref.Path),
				},
				e,
			)
		}
		for _, m := range e.Brings {
			add(e.Kind(),
				result.Load{Tag: m.Tag, Target: m.Target, Party: m.Party, Bytes: m.Bytes, Gzip: m.Gzip, Dead: m.Dead},
				e)
		}
	}
	for i := range r.Elements {
		for _, m := range r.Elements[i].Files {
			kind := map[string]string{"font": inventory.NamedFonts}[m.Tag]
			add(
				cmp.Or(kind, inventory.NamedPictures),
				result.Load{
					Tag: m.Tag, Target: m.Target, Party: m.Party, Bytes: m.Bytes, Gzip: m.Gzip, Dead: m.Dead,
					By: cmp.Or(m.By, "inline styles"),
				},
				&r.Elements[i],
			)
		}
	}
}

// load adds a thing that was not met before.
func (s *survey) load(key loadKey, l *result.Load) *result.Load {
	l.Runs, l.Area, l.LastPage = map[string]int{}, map[string]int{}, -1
	s.byKey[key] = l
	s.Loads = append(s.Loads, l)
	return l
}

// addLoad counts one element of page n that loads it.
func addLoad(l *result.Load, n int, r *inventory.Record, e *inventory.Element) {
	l.Times++
	l.Runs[e.Runs]++
	l.Area[e.Area]++
	if l.LastPage != n {
		l.LastPage = n
		l.Pages++
		l.On += xxh3.HashString(r.File)
		if r.Page.Redirect {
			l.Redirects++
		}
	}
}

// InlineLabel is the beginning of an inline text, on one line.
func InlineLabel(text string) string {
	r := []rune(markup.CollapseSpace(text))
	if len(r) > 60 {
		return string(r[:59]) + "…"
	}
	return string(r)
}

// finish sorts what was found: the site's own, then third parties', then inline;
// within each what most pages have first.
func (s *survey) finish() *result.Survey {
	for _, list := range [][]*result.Load{s.Loads, s.Media} {
		sortLoads(list)
	}
	if s.Media == nil {
		s.Media = []*result.Load{}
	}
	return &s.Survey
}

func sortLoads(list []*result.Load) {
	rank := map[string]int{"own": 0, "third": 1, "inline": 2}
	sort.SliceStable(list, func(i, j int) bool {
		a, b := list[i], list[j]
		if a.Party != b.Party {
			return rank[a.Party] < rank[b.Party]
		}
		if a.Pages != b.Pages {
			return a.Pages > b.Pages
		}
		if a.Bytes != b.Bytes {
			return a.Bytes > b.Bytes
		}
		return a.Target < b.Target
	})
}
