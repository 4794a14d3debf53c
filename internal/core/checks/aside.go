package checks

import (
	"fmt"
	"path"
	"regexp"
	"strings"
)

// Pages that nobody looks for: those that lead elsewhere at once, and those that a server shows
// in place of one that is not there.

// leadsAway reports whether the page takes visitors to another at once: by a refresh after no
// time, or by an inline script on a page that has little else.
func (p *Pass) leadsAway() bool {
	if p.leads == 0 {
		p.leads = 1
		if p.Page.Redirect || p.byScript() {
			p.leads = 2
		}
	}
	return p.leads == 2
}

// movesOn finds a script that goes to another address.
var movesOn = regexp.MustCompile(`(?:^|[;{}\s])(?:window\.|document\.|self\.|top\.)?location(?:\.href)?\s*=[^=]|(?:^|[;{}\s.])location\.(?:replace|assign)\(`)

// littleElse is how many bytes of body and of script a page may have that only leads away.
const littleElse = 1200

func (p *Pass) byScript() bool {
	if p.Scan == nil || p.Scan.BodyStop-max(p.Scan.BodyBegin, 0) > littleElse || p.Frameset {
		return false
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if !Own(e) || !e.IsScript() || e.Party != "inline" || e.Runs != "blocking" || e.Bytes > littleElse {
			continue
		}
		if text := p.Source.Text[e.El.TagEnd:e.El.ContentEnd]; movesOn.Match(text) && !strings.Contains(string(text), "addEventListener") {
			return true
		}
	}
	return false
}

// aside reports whether nobody finds the page by a search or a sitemap.
func (p *Pass) aside() bool { return p.leadsAway() || IsErrorPage(p.Path) }

// IsErrorPage reports whether a page is one that servers show in place of another.
func IsErrorPage(pagePath string) bool {
	switch strings.TrimSuffix(path.Base(strings.TrimSuffix(pagePath, "/")), ".html") {
	case "404", "403", "410", "500", "502", "503", "50x":
		return true
	}
	return false
}

// Whole makes one finding of those that all pages of the site have alike, for checks of what
// is decided once for all of them. pages is how many pages there are that are not aside.
func Whole(fs []Finding, pages int) []Finding {
	type key struct{ check, message string }
	on := map[key]map[string]bool{}
	for i := range fs {
		if f := &fs[i]; f.Page != "" && IsWhole(f.Check) {
			k := key{f.Check, f.Message}
			if on[k] == nil {
				on[k] = map[string]bool{}
			}
			on[k][f.Page] = true
		}
	}
	told := map[key]bool{}
	out := fs[:0:0]
	for _, f := range fs {
		k := key{f.Check, f.Message}
		n := len(on[k])
		if n < 3 || n < pages || f.Page == "" {
			out = append(out, f)
			continue
		}
		if !told[k] {
			told[k] = true
			f.Pages, f.Page = n, ""
			f.Message = fmt.Sprintf("on all %d pages: ", n) + f.Message
			out = append(out, f)
		}
	}
	return out
}

// IsWhole reports whether a check looks for what a site decides once for all its pages.
func IsWhole(name string) bool {
	c := Named(name)
	return c != nil && c.Whole
}
