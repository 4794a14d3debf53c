package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var socialImage = &check.Check{
	Name: "social-image", Family: "head", Severity: problem.Warning,
	Title: "the picture for shared links cannot be fetched",
	Doc: `Whoever shows a link to the page requests the picture from far away: an address without
https:// and host leads nowhere for most of them, and a file that is not there shows an empty
box. Write the whole address.`,
	Bad: "-- site/visit/index.html --\n<meta property=\"og:image\" content=\"/img/dome.jpg\">",
	Good: "-- site/img/dome.jpg --\nJPEG\n-- site/visit/index.html --\n" +
		"<meta property=\"og:image\" content=\"https://ternhill.example/img/dome.jpg\">",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			name := strings.ToLower(strings.TrimSpace(e.Property + e.Name))
			if e.Tag != "meta" || !check.Own(e) ||
				name != "og:image" && name != "og:image:url" && name != "og:image:secure_url" &&
					name != "twitter:image" {
				continue
			}
			url := strings.TrimSpace(e.Content)
			lower := strings.ToLower(url)
			ref, ok := p.Base.Resolve(url)
			switch {
			case url == "":
				p.At(e, name+" is empty", "name a picture, or take the element out")
			case !strings.HasPrefix(lower, "https://") && !strings.HasPrefix(lower, "http://"):
				p.At(e, name+" is not an absolute URL: "+wording.Cut(url, 60),
					p.Site.Remedy("write it with https:// and the host: @{site.url}",
						"write it with https:// and the host"))
			case ok && ref.Own && p.Site != nil && p.Site.HasFile != nil && !p.Site.HasFile(ref.Path):
				p.At(e, url+": the site has no such file", "mend the address").Of(ref.Path)
			}
		}
	},
}
