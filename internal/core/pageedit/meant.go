package pageedit

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// What somebody probably meant by a URL that leads to nothing.

// Loads lists the URLs that the page loads, as url matchers see them, sorted.
func (v *View) Loads() (urls []string) {
	for _, l := range v.loads() {
		urls = append(urls, l.url)
	}
	slices.Sort(urls)
	return slices.Compact(urls)
}

// ByURL reports whether a matcher is about a URL, and the URL or glob in it: of a url
// matcher, or of a selector with a src or href.
func ByURL(m *gatefile.Matcher) (glob string, ok bool) {
	if m.URL != "" {
		glob, _ := splitQuery(m.URL)
		return glob, true
	}
	if found := selectorURL.FindStringSubmatch(m.Raw); m.Selector != nil && found != nil {
		return strings.Trim(found[1], `"'`), true
	}
	return "", false
}

var selectorURL = regexp.MustCompile(`\[(?:src|href)\s*[*^$~|]?=\s*("[^"]*"|'[^']*'|[^\]\s]*)`)

// Meant says what a matcher that matches nothing probably meant, given the URLs that the
// site's pages load: " (did you mean …?)", or nothing.
func (g *Gate) Meant(m *gatefile.Matcher, urls []string) string {
	glob, ok := ByURL(m)
	if !ok {
		return ""
	}
	if _, query := splitQuery(m.URL); query != "" &&
		slices.ContainsFunc(urls, func(u string) bool { return MatchURL(glob, u) }) {
		return fmt.Sprintf(" (did you mean %q, without the query?)", glob)
	}
	if base := g.Site.BasePath(); base != "" && strings.HasPrefix(glob, base+"/") {
		if rest := strings.TrimPrefix(glob, base); slices.ContainsFunc(urls,
			func(u string) bool { return MatchURL(rest, u) }) {
			return fmt.Sprintf(" (did you mean %q? paths leave out the folder %s of the site's address)", rest, base)
		}
	}
	for _, u := range urls { // another folder above it, or none
		if own := strings.HasPrefix(u, "/"); own &&
			(MatchURL("/**/"+strings.TrimLeft(glob, "/"), u) ||
				strings.HasSuffix(u, "/"+path.Base(glob)) && !strings.ContainsAny(path.Base(glob), "*?[{")) {
			return fmt.Sprintf(" (did you mean %q?)", u)
		}
		if MatchURL(strings.ToLower(glob), strings.ToLower(u)) {
			return fmt.Sprintf(" (did you mean %q? paths heed upper and lower case)", u)
		}
	}
	stem := strings.TrimSuffix(strings.TrimSuffix(glob, path.Ext(glob)), ".min")
	for _, u := range urls { // another extension
		if strings.TrimSuffix(strings.TrimSuffix(u, path.Ext(u)), ".min") == stem {
			return fmt.Sprintf(" (did you mean %q?)", u)
		}
	}
	if wild := strings.IndexAny(glob, "*?[{"); wild >= 0 { // the folder of a glob
		folders := map[string]bool{}
		for _, u := range urls {
			for i, c := range u { // path.Dir would make one of two slashes
				if c == '/' && i > 0 && u[i-1] != ':' && u[i-1] != '/' {
					folders[u[:i]] = true
				}
			}
		}
		list := make([]string, 0, len(folders))
		for d := range folders {
			list = append(list, d)
		}
		slices.Sort(list)
		if d := strings.TrimSuffix(glob[:wild], "/"); d != "" {
			if best := didyoumean.Best(d, list); best != "" {
				return fmt.Sprintf(" (did you mean %q?)", best+"/"+strings.TrimPrefix(glob[len(d):], "/"))
			}
		}
		return ""
	}
	return didyoumean.Suggest(glob, urls)
}

// MissingFiles reports scripts and stylesheets of items that are files of the site and
// that the site lacks. files are the site's, as paths.
func (r *Result) MissingFiles(has func(path string) bool, files func() []string) (out []Problem) {
	href, _ := markup.BaseHref(r.Source, r.Scan)
	base := r.gate.Site.Page(r.Page.Path, href)
	for _, w := range r.Written {
		if w.Part == FoundPart {
			continue
		}
		it := r.gate.File.Items[w.Item]
		p := it.Parts[w.Part]
		if !p.Kind.Tagged() {
			continue
		}
		attr := "src"
		if p.Kind == gatefile.Stylesheet {
			attr = "href"
		}
		for _, t := range r.gate.Tags(w.Text, attr) {
			ref, ok := base.Resolve(t.URL)
			if !ok || !ref.Own || has(ref.Path) {
				continue
			}
			hint := ""
			if paths := files(); slices.ContainsFunc(paths, func(f string) bool { return strings.EqualFold(f, ref.Path) }) {
				i := slices.IndexFunc(paths, func(f string) bool { return strings.EqualFold(f, ref.Path) })
				hint = fmt.Sprintf(" (it has %s: paths heed upper and lower case)", paths[i])
			} else if len(out) >= 20 { // enough to see what is wrong
			} else if hint = didyoumean.Suggest(ref.Path, paths); hint == "" {
				if i := slices.IndexFunc(paths, func(f string) bool { return path.Base(f) == path.Base(ref.Path) }); i >= 0 {
					hint = fmt.Sprintf(" (did you mean %q?)", paths[i])
				}
			}
			out = append(out, Problem{
				problem.Problem{Severity: problem.Error, Pos: p.Pos,
					Message: fmt.Sprintf("item %q loads %s, and the site has no such file%s", it.Name, ref.Path,
						hint), Remedy: "mend the path, or put the file into the source folder"}, r.Page.Path,
				r.Page.File})
		}
	}
	return out
}

// ItemOfURL is the item that finds elements by a URL which this one matches, or whose selector has it
// as a src or href; "" for none. target is the path within the site or an absolute URL, as an
// inventory has it.
func (g *Gate) ItemOfURL(target string) string {
	plain, query, _ := strings.Cut(target, "?")
	for _, it := range g.File.Items {
		for i := range it.Found {
			m := &it.Found[i]
			if m.URL != "" {
				glob, wanted := splitQuery(m.URL)
				if MatchURL(glob, plain) && (wanted == "" || doublestar.MatchUnvalidated(wanted, query)) {
					return it.Name
				}
			} else if url, ok := ByURL(m); ok && url != "" && url == plain {
				return it.Name
			}
		}
	}
	return ""
}

// codeURL is an address in code, up to whatever ends one there.
var codeURL = regexp.MustCompile(`https?://[^\s"'<>()\\` + "`" + `]+`)

// ItemOfCode is the item in whose code a third party's address stands, whole, or up to its query; "" for
// none. Whoever asks for it does what the item does.
func (g *Gate) ItemOfCode(target string) string {
	g.codeOnce.Do(func() {
		g.code = map[string]string{}
		for _, it := range g.File.Items {
			for _, p := range it.Parts {
				if p.Kind != gatefile.Code && p.Kind != gatefile.ScriptText && p.Kind != gatefile.Popup {
					continue
				}
				for _, u := range codeURL.FindAllString(p.Text, -1) {
					u, _, _ = strings.Cut(markup.DecodeText([]byte(u)), "#")
					u, _, _ = strings.Cut(u, "?")
					if _, had := g.code[u]; !had && !strings.Contains(u, "@{") {
						g.code[u] = it.Name
					}
				}
			}
		}
	})
	plain, _, _ := strings.Cut(target, "?")
	return g.code[plain]
}
