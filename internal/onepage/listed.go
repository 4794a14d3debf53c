package onepage

import (
	"bytes"
	"cmp"
	"fmt"
	"image"
	_ "image/gif" // the sizes of pictures
	_ "image/jpeg"
	_ "image/png"
	"net/url"
	"path"
	"slices"
	"strings"

	_ "golang.org/x/image/webp"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/listing"
	"yellowgate/internal/core/page"
	"yellowgate/internal/decisions"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Preview says how a page is listed in search results and as a shared link, before the gate and after it. read
// returns a file of the site, by its path.
func Preview(p *project.Project, pg *page.Page, read func(path string) ([]byte, bool)) (*result.Preview, error) {
	r, err := decisions.Look(p, pg)
	if err != nil {
		return nil, err
	}
	if err := project.Refusal(project.GroupProblems(p.Gate.File, r.Problems)); err != nil {
		return nil, err
	}
	listed := func(text []byte) *result.Listed {
		return listedOf(itemmatch.Take(text, r.Page, p.Gate, nil).Record, p.Gate.File.Site.URL.Value, read)
	}
	return &result.Preview{Page: r.Page.Path, Before: listed(r.Original), After: listed(r.File)}, nil
}

// listedOf is how a page with this inventory is listed. site is the address of the site.
func listedOf(r *inventory.Record, site string, read func(path string) ([]byte, bool)) *result.Listed {
	of := func(name string) string {
		for i := range r.Elements {
			if e := &r.Elements[i]; e.Tag == "meta" && e.Area != "body" &&
				strings.EqualFold(cmp.Or(e.Property, e.Name), name) {
				if v := strings.TrimSpace(e.Content); v != "" {
					return v
				}
			}
		}
		return ""
	}
	l := &result.Listed{
		Title:       r.Title,
		Description: of("description"),
		Address:     crumbs(site, r.Path),
		Frames:      []result.ListedFrame{},
	}
	robots := of("robots")
	for word := range strings.SplitSeq(strings.ToLower(robots), ",") {
		if word = strings.TrimSpace(word); word == "noindex" || word == "none" {
			l.Hidden = "search results do not show it: robots says " + robots
		}
	}
	l.Shared = result.SharedLink{
		Title:       cmp.Or(of("og:title"), l.Title),
		Description: cmp.Or(of("og:description"), l.Description),
		Image:       of("og:image"),
	}
	picture(&l.Shared, r, read)
	for _, f := range listing.Frames {
		title, text := l.Title, l.Description
		if strings.HasPrefix(f.Name, "shared") {
			title, text = l.Shared.Title, l.Shared.Description
		}
		l.Frames = append(l.Frames, result.ListedFrame{
			Name: f.Name, Room: int(f.Room), TitleSize: int(f.Title),
			Title:       result.ShownText(listing.Fit(title, f.Title, f.Room, f.TitleLines)),
			Description: result.ShownText(listing.Fit(text, f.Text, f.Room, f.TextLines)),
		})
	}
	return l
}

// crumbs is an address as lists show it.
func crumbs(site, pagePath string) string {
	host := "your site"
	if u, err := url.Parse(site); err == nil && u.Host != "" {
		host = u.Host
	}
	parts := []string{host}
	for part := range strings.SplitSeq(strings.Trim(pagePath, "/"), "/") {
		if part != "" {
			parts = append(parts, part)
		}
	}
	return strings.Join(parts, " › ")
}

// shape is the width of the picture of a shared link, where its height is 1.
const shape = 1.91

// picture finds out about the picture of a shared link.
func picture(s *result.SharedLink, r *inventory.Record, read func(path string) ([]byte, bool)) {
	ref, ok := r.Base.Resolve(s.Image)
	switch ext := strings.ToLower(path.Ext(strings.TrimSuffix(ref.Path, "/"))); {
	case s.Image == "":
		s.Says = "no picture: most show none, or one that they choose"
		return
	case !strings.HasPrefix(s.Image, "http://") && !strings.HasPrefix(s.Image, "https://"):
		s.Says = "not a whole address: most do not fetch it"
		return
	case !ok || !ref.Own:
		s.Says = "of another site: its size is not known"
		return
	case slices.Contains([]string{".svg", ".avif"}, ext):
		s.Says = "most do not show a picture of the kind " + strings.TrimPrefix(ext, ".")
		s.File = ref.Path
		return
	}
	b, ok := read(ref.Path)
	if !ok {
		s.Says = "the site has no such file"
		return
	}
	s.File = ref.Path
	c, _, err := image.DecodeConfig(bytes.NewReader(b))
	if err != nil {
		s.Says = "the file cannot be read as a picture"
		return
	}
	s.Width, s.Height = c.Width, c.Height
	switch width, height := float64(c.Width), float64(c.Height); {
	case c.Width < 200 || c.Height < 200:
		s.Says = fmt.Sprintf("%d × %d pixels: too small, most show it beside the text or not at all", c.Width, c.Height)
	case width/height > shape*1.02:
		s.Says = fmt.Sprintf("%d × %d pixels: the middle %d of its width are shown", c.Width, c.Height,
			int(height*shape))
	case width/height < shape/1.02:
		s.Says = fmt.Sprintf("%d × %d pixels: the middle %d of its height are shown", c.Width, c.Height,
			int(width/shape))
	default:
		s.Says = fmt.Sprintf("%d × %d pixels: shown whole", c.Width, c.Height)
	}
	if c.Width < 600 && c.Width >= 200 {
		s.Says += "; 1200 × 630 is sharp everywhere"
	}
}
