package visits

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/page"
	"yellowgate/internal/parallel"
	"yellowgate/internal/result"
)

// idleShare is the part of a script that runs on a page that has no use for it: its own wrapper.
const idleShare = 10

// Used opens the pages of a project, as the gate makes them now, and tells what is used of the
// files that they load: those with pages that have no use for them first. unread are the pages that
// were not read.
func Used(
	ctx context.Context,
	r *Visitor,
	screens []browser.Screen,
	progress parallel.Progress,
) (uses []result.Use, unread int, err error) {
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
				unread++
				continue
			}
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
		f.Lines = linesOf(f.Use)
		uses = append(uses, *f.Use)
	}
	slices.SortFunc(uses, func(a, b result.Use) int {
		return cmp.Or(cmp.Compare(len(b.Idle)*b.Bytes, len(a.Idle)*a.Bytes), strings.Compare(a.Target, b.Target))
	})
	return uses, unread, err
}

// linesOf is what a gate file would say to keep a file to the pages that use it.
func linesOf(u *result.Use) string {
	if len(u.Idle) == 0 || !strings.HasPrefix(u.Target, "/") && !strings.Contains(u.Target, "://") {
		return ""
	}
	key, list := "pages", u.On
	if len(u.On) > 6 && len(u.Idle) < len(u.On) {
		key, list = "except", u.Idle
	}
	if len(list) > 12 {
		return "" // no short query: a person finds a better one
	}
	query := "none"
	if len(list) > 0 {
		var globs []string
		for _, p := range list {
			globs = append(globs, page.URLPath(p))
		}
		query = strings.Join(globs, " or ")
	}
	if u.Item != "" {
		if key == "except" {
			return u.Item + ":\n  except: " + query
		}
		return u.Item + ":\n  pages: " + query
	}
	name := gateedit.Name(strings.TrimSuffix(path.Base(u.Target), path.Ext(u.Target)))
	if key == "except" {
		query = "all\n  except: " + query
	}
	return cmp.Or(name, "file") + ":\n  found: {url: " + u.Target + "}\n  pages: " + query
}
