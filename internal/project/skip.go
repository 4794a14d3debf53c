package project

import (
	"io"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// What of the source folder is none of the site.

// Skip reports whether something below the source folder is no part of the site.
func (p *Project) Skip(rel string, dir bool) bool {
	return p.skip(rel, dir)
}

// LeavesOut reports whether something in an output folder is none of the tool's
// business: a dot-file that the gate file does not ask for.
func (p *Project) LeavesOut(rel string, isDir bool) bool {
	return site.Hidden(rel) && !also(p.Gate.File, rel, isDir)
}

// dotFiles are the beginnings of the names of dot-files that nobody publishes.
var dotFiles = []string{
	".git", ".yellowgate", ".DS_Store", "._", ".env", ".editorconfig", ".yg-", ".npm", ".idea", ".vscode",
	".eslint", ".prettier", ".stylelint",
}

// noteHidden keeps the names of dot-files that a server may want and that are left out.
func (p *Project) noteHidden(rel string, isDir bool) {
	base := path.Base(rel)
	if isDir || !site.Hidden(rel) || also(p.Gate.File, rel, isDir) ||
		slices.ContainsFunc(dotFiles, func(s string) bool { return strings.HasPrefix(base, s) }) {
		return
	}
	p.hidden.Lock()
	defer p.hidden.Unlock()
	p.LeftOut = append(p.LeftOut, rel)
}

// also reports whether the gate file asks for a dot-file, or for something in a
// dot-folder. A glob without "/" is for any folder.
func also(g *gatefile.Gate, rel string, isDir bool) bool {
	return slices.ContainsFunc(g.Site.Also, func(t gatefile.Text) bool {
		glob := strings.TrimPrefix(t.Value, "/")
		return doublestar.MatchUnvalidated(glob, rel) ||
			!strings.Contains(glob, "/") && doublestar.MatchUnvalidated(glob, path.Base(rel)) ||
			isDir && strings.HasPrefix(glob, rel+"/")
	})
}

func matchesAny(globs []gatefile.Text, rel string) bool {
	return slices.ContainsFunc(globs, func(t gatefile.Text) bool { return doublestar.MatchUnvalidated(t.Value, rel) })
}

// Owns says what of the project a file is that no result may be written over, given by
// its resolved path; "" for any other.
func (p *Project) Owns(real string) string {
	g := p.Gate.File
	gate := filepath.Join(p.Dir, filepath.Base(filepath.FromSlash(g.File)))
	if real == fsys.Real(gate) {
		return "is the gate file"
	}
	for _, f := range g.Others {
		if rel, err := filepath.Rel(filepath.Dir(filepath.FromSlash(g.File)), filepath.FromSlash(f.Name)); err == nil &&
			real == fsys.Real(filepath.Join(p.Dir, rel)) {
			return "is a gate file that this one includes"
		}
	}
	for _, name := range Named(g) {
		if !filepath.IsAbs(name) {
			name = filepath.Join(p.Dir, filepath.FromSlash(name))
		}
		if real == fsys.Real(name) {
			return "is a file that the gate file names"
		}
	}
	if p.Source == "" {
		return ""
	}
	rel, in := fsys.Within(fsys.Real(p.Source), real)
	if _, err := os.Lstat(real); err != nil || !in || p.Skip(rel, false) {
		return ""
	}
	return "is a file of the site's source"
}

// Protects says what a file is, given by its resolved path, that no result may be written over for the
// sake of a gate file; "" for any other. Of one that cannot be read nobody knows what it names: then it
// is whatever lies beside it.
func Protects(gate, real string, o Options) string {
	if real == fsys.Real(gate) || isGate(real) {
		return "is a gate file"
	}
	p, _, err := Open(gate, o)
	if err == nil {
		return p.Owns(real)
	}
	info, err := os.Lstat(real)
	if _, in := fsys.Within(fsys.Real(filepath.Dir(gate)), real); err == nil && info.Size() > 0 && in {
		return "lies beside a gate file that cannot be put into effect, and may be one that it names"
	}
	return ""
}

// isGate reports whether a file begins as gate files do, whatever its name.
func isGate(name string) bool {
	f, _, err := fsys.Open(name)
	if err != nil {
		return false
	}
	defer f.Close()
	head := make([]byte, 4096)
	n, _ := io.ReadFull(f, head)
	return versionLine.Match(head[:n])
}

var versionLine = regexp.MustCompile(`(?m)^yellowgate:`)

// skipper says what of the source folder is no part of the site: dot-files,
// the output, the tool's own folder, the gate file and what it names, and what
// the gate file ignores. dir and source are resolved; what the gate file names is
// known by the name it is given and by where that leads.
func skipper(dir, source string, g *gatefile.Gate) func(string, bool) bool {
	inSource := map[string]bool{}
	own := func(name string) {
		abs := name
		if !filepath.IsAbs(abs) {
			abs = filepath.Join(dir, filepath.FromSlash(name))
		}
		for _, at := range []string{abs, filepath.Join(fsys.Real(filepath.Dir(abs)), filepath.Base(abs)), fsys.Real(abs)} {
			if rel, ok := fsys.Within(source, at); ok && rel != "." {
				inSource[rel] = true
			}
		}
	}
	own(filepath.Base(g.File))
	own(".yellowgate")
	for _, f := range g.Others {
		rel, err := filepath.Rel(filepath.Dir(filepath.FromSlash(g.File)), filepath.FromSlash(f.Name))
		if err == nil {
			own(rel)
		}
	}
	if g.Site.Output.Value != "" {
		own(g.Site.Output.Value)
	}
	for _, name := range Named(g) {
		own(name)
	}
	return func(rel string, isDir bool) bool {
		if site.Hidden(rel) && !also(g, rel, isDir) || inSource[rel] {
			return true
		}
		for _, glob := range g.Site.Ignore {
			if doublestar.MatchUnvalidated(glob.Value, rel) {
				return true
			}
		}
		return false
	}
}

// Named lists the files that a gate file names: code and facts.
func Named(g *gatefile.Gate) (names []string) {
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if p.FromFile != "" {
				names = append(names, p.FromFile)
			}
			names = append(names, p.Includes...)
		}
	}
	for _, f := range g.Site.Facts {
		names = append(names, f.Value)
	}
	if m := g.Site.Manifest.Value; m != "" {
		names = append(names, m)
	}
	return names
}
