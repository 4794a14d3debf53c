package gatefile

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/didyoumean"
)

// BuiltPrefix begins a URL that is looked up in the build manifest.
const BuiltPrefix = "built:"

// A Manifest says under which names a build wrote its files: a JSON object whose
// values are paths, lists of paths, or objects of these.
type Manifest struct{ tree map[string]any }

// ParseManifest reads a build manifest.
func ParseManifest(b []byte) (*Manifest, error) {
	m := &Manifest{}
	if err := json.Unmarshal(b, &m.tree); err != nil {
		return nil, fmt.Errorf("it should be a JSON object: %w", err)
	}
	return m, nil
}

// Find returns the paths that a name stands for: a key of the object, or the
// dotted name of one in an object within it. Paths begin with "/", unless they
// are whole URLs.
func (m *Manifest) Find(name string) (paths []string, ok bool) { return find(m.tree, name) }

func find(tree map[string]any, name string) ([]string, bool) {
	if v, ok := tree[name]; ok {
		return paths(v)
	}
	for i := 0; i < len(name); i++ {
		if name[i] != '.' {
			continue
		}
		if sub, ok := tree[name[:i]].(map[string]any); ok {
			if found, ok := find(sub, name[i+1:]); ok {
				return found, true
			}
		}
	}
	return nil, false
}

func paths(v any) ([]string, bool) {
	switch v := v.(type) {
	case string:
		if !strings.HasPrefix(v, "/") && !strings.Contains(v, "://") {
			v = "/" + strings.TrimPrefix(v, "./")
		}
		return []string{v}, true
	case []any:
		var out []string
		for _, x := range v {
			if p, ok := paths(x); ok {
				out = append(out, p...)
			}
		}
		return out, len(out) > 0
	}
	return nil, false
}

// Files lists all paths of the manifest.
func (m *Manifest) Files() []string { return files(m.tree) }

func files(v any) (out []string) {
	if object, ok := v.(map[string]any); ok {
		for _, x := range object {
			out = append(out, files(x)...)
		}
		return out
	}
	out, _ = paths(v)
	// An object may hold more than paths: names, hashes, flags.
	return slices.DeleteFunc(out, func(p string) bool {
		return !strings.HasSuffix(p, ".js") && !strings.HasSuffix(p, ".mjs") && !strings.HasSuffix(p, ".css")
	})
}

func (m *Manifest) suggest(name string) string {
	var names []string
	for k := range m.tree {
		names = append(names, k)
	}
	slices.Sort(names)
	return didyoumean.Suggest(name, names)
}
