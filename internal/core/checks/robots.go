package checks

import "strings"

// Noindex reports whether the page asks search engines to leave it out.
func (p *Pass) Noindex() bool {
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "meta" || !Own(e) {
			continue
		}
		name, content, _ := strings.Cut(strings.ToLower(e.Label), " = ")
		if strings.TrimSpace(name) != "robots" {
			continue
		}
		for w := range strings.SplitSeq(content, ",") {
			if w = strings.TrimSpace(w); w == "noindex" || w == "none" {
				return true
			}
		}
	}
	return false
}
