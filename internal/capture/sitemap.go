package capture

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"github.com/klauspost/compress/gzip"
)

// sitemapDeep is how deep indexes of sitemaps may name one another, mostSitemaps how many are read.
const (
	sitemapDeep  = 3
	mostSitemaps = 1000
)

// sitemap takes the addresses of a sitemap, or of those that an index names (sitemaps.org, 0.9). One
// that is not there, or none, says nothing.
func (c *capture) sitemap(ctx context.Context, raw string, deep int) {
	u := c.resolve(raw, c.Start)
	if u == nil || deep > sitemapDeep || c.sitemaps == mostSitemaps || c.seen["sitemap "+u.String()] ||
		c.budget.spent != "" {
		return
	}
	c.seen["sitemap "+u.String()] = true
	c.sitemaps++
	got, body, err := c.get(ctx, u, nil)
	if err != nil || got.status != 200 || got.why != "" {
		return
	}
	var listed io.Reader = bytes.NewReader(body)
	if bytes.HasPrefix(body, []byte("\x1f\x8b")) {
		if listed, err = gzip.NewReader(listed); err != nil {
			return
		}
	}
	var pages, files []string
	err = locations(&rationed{listed, &c.budget}, func(kind, loc string) bool {
		if kind == "url" {
			pages = append(pages, loc)
		} else {
			files = append(files, loc)
		}
		return len(pages)+len(files) <= c.budget.addresses && ctx.Err() == nil
	})
	switch {
	case errors.Is(err, errRation):
		c.mu.Lock()
		c.over(u.String())
		c.mu.Unlock()
	case err != nil || len(pages)+len(files) == 0:
		return
	}
	c.keepFile(u, got, body)
	for _, loc := range pages {
		c.add(loc, c.Start, true, 1, u.String())
	}
	for _, loc := range files {
		c.sitemap(ctx, loc, deep+1)
	}
}

var errRation = errors.New("the budget of sitemaps is spent")

// rationed reads what the budget of a run allows.
type rationed struct {
	r io.Reader
	b *budget
}

func (r *rationed) Read(p []byte) (int, error) {
	if !r.b.list(len(p)) {
		return 0, errRation
	}
	n, err := r.r.Read(p)
	r.b.listed += len(p) - n
	return n, err
}

// locations calls with each address of a sitemap ("url") or an index of them ("sitemap"), as it comes, until
// that says no. What is neither has none.
func locations(r io.Reader, each func(kind, loc string) bool) error {
	d := xml.NewDecoder(r)
	var path []string
	var loc strings.Builder
	for {
		token, err := d.Token()
		if err != nil {
			if err == io.EOF {
				err = nil
			}
			return err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if len(path) == 0 && t.Name.Local != "urlset" && t.Name.Local != "sitemapindex" {
				return nil
			}
			if len(path) > 100 {
				return nil
			}
			path = append(path, t.Name.Local)
			loc.Reset()
		case xml.CharData:
			if len(path) == 3 && path[2] == "loc" && loc.Len()+len(t) <= 8<<10 {
				loc.Write(t)
			}
		case xml.EndElement:
			if len(path) == 3 && path[2] == "loc" && (path[1] == "url" || path[1] == "sitemap") && !each(path[1], loc.String()) {
				return nil
			}
			path = path[:len(path)-1]
		}
	}
}
