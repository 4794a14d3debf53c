package gatecheck

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/syntax"
)

// Unreadable reports files of the site that items load and a browser could not parse. read gives a file of
// the site by its path.
func Unreadable(g *gatefile.Gate, read func(path string) ([]byte, bool)) (out []problem.Problem) {
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if p.Kind != gatefile.Script && p.Kind != gatefile.Stylesheet || p.Template == nil || !p.Template.Plain() ||
				!strings.HasPrefix(p.Text, "/") ||
				strings.HasPrefix(p.Text, "//") {
				continue
			}
			path, _, _ := strings.Cut(p.Text, "?")
			path, _, _ = strings.Cut(path, "#")
			text, ok := read(path)
			if !ok {
				continue
			}
			if line, m := syntax.File(path, text); m != nil {
				out = append(out, problem.Problem{Severity: problem.Error, Pos: p.Pos,
					Message: fmt.Sprintf("item %q loads %s, which a browser cannot parse (line %d): %s", it.Name,
						path, line, m.Message), Remedy: "mend the file, or name another"})
			}
		}
	}
	return out
}
