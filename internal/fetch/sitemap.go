package fetch

import (
	"bytes"
	"context"
	"encoding/xml"
	"io"

	"github.com/klauspost/compress/gzip"
)

// sitemapDeep is how deep indexes of sitemaps may name one another, mostSitemaps how many are read,
// mostListed how many bytes of one.
const (
	sitemapDeep  = 3
	mostSitemaps = 1000
	mostListed   = 64 << 20
)

// sitemap takes the addresses of a sitemap, or of those that an index names (sitemaps.org, 0.9). One
// that is not there, or none, says nothing.
func (c *capture) sitemap(ctx context.Context, raw string, deep int) {
	u := c.resolve(raw, c.Start)
	if u == nil || deep > sitemapDeep || c.sitemaps == mostSitemaps || c.seen["sitemap "+u.String()] {
		return
	}
	c.seen["sitemap "+u.String()] = true
	c.sitemaps++
	got, body, err := c.get(ctx, u, nil)
	if err != nil || got.status != 200 || got.why != "" {
		return
	}
	listed := body
	if bytes.HasPrefix(body, []byte("\x1f\x8b")) {
		z, err := gzip.NewReader(bytes.NewReader(body))
		if err != nil {
			return
		}
		if listed, err = io.ReadAll(io.LimitReader(z, mostListed)); err != nil {
			return
		}
	}
	var list struct {
		XMLName xml.Name
		Pages   []struct {
			Loc string `xml:"loc"`
		} `xml:"url"`
		Files []struct {
			Loc string `xml:"loc"`
		} `xml:"sitemap"`
	}
	if xml.Unmarshal(listed, &list) != nil || list.XMLName.Local != "urlset" && list.XMLName.Local != "sitemapindex" {
		return
	}
	c.keepFile(u, got, body)
	for _, p := range list.Pages {
		c.add(p.Loc, c.Start, true, 1, u.String())
	}
	for _, f := range list.Files {
		c.sitemap(ctx, f.Loc, deep+1)
	}
}
