package visits

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/parallel"
	"yellowgate/internal/result"
)

// idleShare is the part of a script that runs on a page that has no use for it: its own wrapper.
const idleShare = 10

// Seen is what pages used of the files that they load.
type Seen struct {
	Uses      []result.Use      // those with pages that have no use for them first
	Unread    int               // visits that could not be read
	structure map[string]string // by path
}

// Used opens the pages of a project, as the gate makes them now, and tells what is used of the files that they load.
func Used(ctx context.Context, r *Visitor, screens []browser.Screen,
	progress parallel.Progress) (s *Seen, err error) {
	s = &Seen{structure: map[string]string{}}
	type seen struct {
		*result.Use
		idle map[string]bool
	}
	files := map[string]*seen{}
	pages := r.project.Pages
	err = r.openAll(ctx, pages, screens, progress, func(i int, all []*result.Opened) {
		most := map[string]int{}
		for _, v := range all {
			if v.Unread != "" {
				s.Unread++
				continue
			}
			s.structure[pages[i].Path] += structureOf(v)
			for _, u := range v.Used {
				f := files[u.Target]
				if f == nil {
					f = &seen{&result.Use{Target: u.Target, Kind: u.Kind, On: []string{}, Idle: []string{}}, nil}
					files[u.Target] = f
				}
				f.Bytes, f.Most, f.Item = max(f.Bytes, u.Bytes), max(f.Most, u.Used), cmp.Or(f.Item, u.Item)
				most[u.Target] = max(most[u.Target], u.Used)
			}
		}
		for target, used := range most {
			f := files[target]
			if used == 0 || f.Kind == "script" && used*100 < f.Bytes*idleShare {
				f.Idle = append(f.Idle, pages[i].Path)
			} else {
				f.On = append(f.On, pages[i].Path)
			}
		}
	})
	for _, f := range files {
		s.Uses = append(s.Uses, *f.Use)
	}
	slices.SortFunc(s.Uses, func(a, b result.Use) int {
		return cmp.Or(cmp.Compare(len(b.Idle)*b.Bytes, len(a.Idle)*a.Bytes), strings.Compare(a.Target, b.Target))
	})
	return s, err
}
