package loading

import (
	"fmt"
	"path"
	"regexp"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
)

var twinLibrary = &check.Check{
	Name: "twin-library", Family: "loading", Severity: problem.Warning,
	Title: "the page loads two versions of one library",
	Doc: `The second version replaces the first, or half of it; what was written for the other
breaks at times. Keep one: name the other in the gate file with found and pages: none.`,
	Bad:  "<script src=\"/lib/starcalc-1.2.js\"></script>\n<script src=\"/lib/starcalc-2.0.js\"></script>",
	Good: "<script src=\"/lib/starcalc-2.0.js\"></script>",
	Page: func(p *check.Pass) {
		first := map[string]*inventory.Element{}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || e.Tag != "script" && !e.IsStylesheet() {
				continue
			}
			name, versioned := libraryName(e.Target)
			if !versioned {
				continue
			}
			if f := first[name]; f != nil && f.Target != e.Target {
				p.At(e, fmt.Sprintf("%s is a second version of what line %d loads: %s", e.URL, f.Line, f.URL),
					p.Site.Remedy("keep one; name the other with found and pages: none", "keep one"))
			} else if f == nil {
				first[name] = e
			}
		}
	},
}

var version = regexp.MustCompile(`[-._@]?v?\d+(\.\d+)+([-.](alpha|beta|rc)\.?\d*)?`)

// libraryName is the name of a library's file without its version; versioned is
// false where it has none.
func libraryName(target string) (name string, versioned bool) {
	target, _, _ = strings.Cut(target, "?")
	base := path.Base(target)
	if version.MatchString(base) {
		name = version.ReplaceAllString(base, "")
	} else if dir := path.Base(path.Dir(target)); version.MatchString(dir) {
		name = base
	} else {
		return "", false
	}
	name = strings.ToLower(strings.ReplaceAll(name, ".min.", "."))
	return name, strings.TrimSuffix(strings.TrimSuffix(name, ".js"), ".css") != ""
}
