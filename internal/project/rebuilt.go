package project

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// What a browser saw scripts rebuild, kept by the page's source, so that check and diff can warn without a browser.

// rebuiltFormat is the version of the file that keeps it.
const rebuiltFormat = "yellowgate.rebuilt/1"

type rebuiltFile struct {
	Format string                 `json:"format"`
	Pages  map[string]rebuiltPage `json:"pages"` // by path
}

type rebuiltPage struct {
	Sum   string   `json:"sum"`   // digest of the source
	Roots []string `json:"roots"` // elements out of which an item, or its mark, was taken, as selectors
}

func (p *Project) rebuiltName() string { return filepath.Join(p.Dir, site.OwnDir, "rebuilt.json") }

func (p *Project) readRebuilt() (f rebuiltFile) {
	b, err := fsys.Read(p.rebuiltName(), fsys.StateLimit)
	if err != nil || json.Unmarshal(b, &f) != nil || f.Format != rebuiltFormat {
		f = rebuiltFile{}
	}
	f.Format = rebuiltFormat
	if f.Pages == nil {
		f.Pages = map[string]rebuiltPage{}
	}
	return f
}

// Rebuilt returns what tells of a page, by its source, the elements that a browser saw scripts rebuild.
func (p *Project) Rebuilt() func(pg *page.Page, source []byte) []string {
	f := p.readRebuilt()
	return func(pg *page.Page, source []byte) []string {
		x := f.Pages[pg.Path]
		if len(x.Roots) == 0 || x.Sum != sumOf(source) {
			return nil
		}
		return x.Roots
	}
}

// KeepRebuilt keeps what visits of the gated pages saw of that. A page on which nothing was lost keeps what is known
// of it, as long as its source is the same.
// seen has the elements by the pages' paths.
func (p *Project) KeepRebuilt(seen map[string][]string) error {
	f := p.readRebuilt()
	before := len(f.Pages)
	changed := false
	byPath := map[string]*page.Page{}
	for i := range p.Pages {
		byPath[p.Pages[i].Path] = &p.Pages[i]
	}
	for path, list := range seen {
		pg := byPath[path]
		if pg == nil {
			continue
		}
		source, err := p.Read(pg)
		if err != nil {
			continue // the audit has said so
		}
		if x := f.Pages[pg.Path]; x.Sum == sumOf(source) {
			list = append(slices.Clone(x.Roots), list...)
		}
		slices.Sort(list)
		f.Pages[pg.Path] = rebuiltPage{sumOf(source), slices.Compact(list)}
		changed = true
	}
	if !changed && len(f.Pages) == before {
		return nil
	}
	b, err := json.Marshal(f)
	if err == nil {
		if err = site.MakeOwnDir(filepath.Dir(p.rebuiltName())); err == nil {
			err = fsys.Replace(p.rebuiltName(), b)
		}
	}
	if err != nil {
		return &failure.Path{Path: p.rebuiltName(), Err: err, What: "what scripts rebuild is not remembered"}
	}
	return nil
}

func sumOf(source []byte) string { return fmt.Sprintf("%x", xxh3.Hash128(source).Bytes()) }
