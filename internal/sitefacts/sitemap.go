package sitefacts

import (
	"bytes"
	"encoding/xml"
	"io"
	"net/url"
	"strings"

	"github.com/klauspost/compress/gzip"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/site"
)

// sitemapFile is a file of the Sitemaps XML format: pages, or an index of such files.
type sitemapFile struct {
	Pages []sitemapEntry `xml:"url"`
	Files []sitemapEntry `xml:"sitemap"`
}

type sitemapEntry struct {
	Loc string `xml:"loc"`
}

// maxSitemap is the most bytes that a file of the format may have, unpacked.
const maxSitemap = 50 << 20

// A Sitemap is read in a folder.
type Sitemap struct {
	From    site.Store
	Site    *weburl.SiteURL
	HasPage func(path string) bool
	AnyHost bool   // the site's address is not known: whatever host a sitemap names, it is the site's
	Below   string // the path of the host below which the site is, where any host will do
}

// Read reads the pages that a sitemap of the folder lists, and those that it names
// as an index: nil without one. whole is false where a file that it names cannot be
// read.
func (s *Sitemap) Read(name string) (listed map[string]bool, whole bool) {
	f, err := readSitemap(s.From, name)
	if err != nil {
		return nil, false
	}
	listed, whole = map[string]bool{}, true
	s.list(f.Pages, listed)
	for _, entry := range f.Files {
		path, own := s.within(entry.Loc)
		if !own {
			whole = false
			continue
		}
		part, err := readSitemap(s.From, strings.TrimPrefix(path, "/"))
		if err != nil || len(part.Files) > 0 { // an index may not name another
			whole = false
			continue
		}
		s.list(part.Pages, listed)
	}
	return listed, whole
}

// list adds the pages of a sitemap.
func (s *Sitemap) list(entries []sitemapEntry, listed map[string]bool) {
	for _, u := range entries {
		path, own := s.within(u.Loc)
		if !own {
			continue
		}
		if file := strings.TrimSuffix(path, "/") + ".html"; !s.HasPage(path) && s.HasPage(file) {
			path = file // hosts serve /about from about.html
		}
		listed[page.Key(path)] = true
	}
}

// within is the path of an address within the site. Where the site's address is not
// known, any will do.
func (s *Sitemap) within(loc string) (path string, own bool) {
	loc = strings.TrimSpace(loc)
	if ref, ok := s.Site.Page("/", "").Resolve(loc); ok && ref.Own {
		return ref.Page, true
	}
	if u, err := url.Parse(loc); err == nil && s.AnyHost {
		return "/" + strings.TrimPrefix(strings.TrimPrefix(u.Path, s.Below), "/"), true
	}
	return "", false
}

func readSitemap(from site.Store, name string) (*sitemapFile, error) {
	b, err := from.Read(name)
	if err != nil {
		return nil, err
	}
	if strings.HasSuffix(name, ".gz") {
		z, err := gzip.NewReader(bytes.NewReader(b))
		if err != nil {
			return nil, err
		}
		if b, err = io.ReadAll(io.LimitReader(z, maxSitemap)); err != nil {
			return nil, err
		}
	}
	f := &sitemapFile{}
	return f, xml.Unmarshal(b, f)
}
