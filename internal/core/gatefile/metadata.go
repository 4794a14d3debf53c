package gatefile

import (
	"slices"
	"sort"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"golang.org/x/text/language"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Key is one metadata key with its value.
type Key struct {
	// Name is title, description, canonical, robots, author, keywords, viewport,
	// lang, theme-color, icon, or meta.NAME, property.NAME, link.REL.
	Name string
	// Variant tells elements of one name apart by media, sizes and hreflang: ""
	// for an element without them.
	Variant string
	Values  []MetaValue // one, but for keys that may stand often
	None    bool        // the value none: the page shall not have it
	// Sibling: it names the page in another language, of those in Siblings, if there is one, and none otherwise.
	Sibling  bool
	Siblings Alternates
	Pos      problem.Position
}

// A MetaValue is one element that a key writes.
type MetaValue struct {
	Value *placeholder.Template
	Text  string
	Attrs []Attr // media, sizes, hreflang, type, title, as they are written
	Pos   problem.Position
}

// ID names what the key decides: its name, and its variant in brackets.
func (k *Key) ID() string { return k.Name + k.Variant }

// SplitID takes an ID apart.
func SplitID(id string) (name, variant string) {
	if i := strings.IndexByte(id, '['); i > 0 {
		return id[:i], id[i:]
	}
	return id, ""
}

// MetaName is the key by which a gate file would name a meta element, by its name or property; "" for neither.
// Some pages write a property as a name.
func MetaName(name, property string) string {
	lower := strings.ToLower(name)
	switch {
	case property != "":
		return "property." + property
	case strings.HasPrefix(lower, "og:"):
		return "property." + name
	case slices.Contains(MetadataKeys, lower), lower == "theme-color":
		return lower
	case name != "":
		return "meta." + name
	}
	return ""
}

// VariantOf writes the attributes that tell elements of one name apart.
func VariantOf(value func(attr string) string) string {
	v := ""
	for _, a := range variantAttrs {
		if x := strings.TrimSpace(value(a)); x != "" {
			v += "[" + a + "=" + strings.ToLower(x) + "]"
		}
	}
	return v
}

var variantAttrs = []string{"media", "sizes", "hreflang"}

// socialProperties are the Open Graph properties behind the keys of social.
var socialProperties = map[string]string{
	"title": "og:title", "description": "og:description", "image": "og:image", "type": "og:type",
	"site": "og:site_name",
}

// KeyName brings a metadata key as people write it into the form of Key.Name:
// social.title is property.og:title, and so is og:title.
func KeyName(name string) string {
	if p, ok := socialProperties[strings.TrimPrefix(name, "social.")]; ok && strings.HasPrefix(name, "social.") {
		return "property." + p
	}
	if strings.HasPrefix(name, "og:") || strings.HasPrefix(name, "article:") {
		return "property." + name
	}
	return name
}

// keyRank is the order in which keys are written into a page.
func keyRank(name string) int {
	if i := slices.Index(MetadataKeys, name); i >= 0 {
		return i
	}
	for i, prefix := range []string{"meta.", "theme-color", "icon", "link.", "property."} {
		if strings.HasPrefix(name, prefix) {
			return len(MetadataKeys) + i
		}
	}
	return len(MetadataKeys) + 9
}

// KeyIDs lists what the gate file's metadata decides, in the order in which it is
// written into a page.
func (g *Gate) KeyIDs() []string {
	var ids []string
	seen := map[string]bool{}
	add := func(keys []Key) {
		for i := range keys {
			if id := keys[i].ID(); !seen[id] {
				seen[id] = true
				ids = append(ids, id)
			}
		}
	}
	for _, r := range g.Rules {
		add(r.Keys)
	}
	for _, p := range g.Pages {
		add(p.Keys)
	}
	sort.SliceStable(ids, func(i, j int) bool { return keyRank(ids[i]) < keyRank(ids[j]) })
	return ids
}

// key reads one metadata key, with all that stands below it.
func (r *reader) key(e entry, keys *[]Key) {
	switch e.key {
	case "meta":
		for _, x := range r.entries(e.node, "meta") {
			name := strings.ToLower(strings.TrimSpace(x.key))
			if slices.Contains(metaKeys, name) && name != "link" && name != "property" && name != "title" &&
				name != "icon" &&
				name != "lang" {
				r.problem(problem.Error, x.pos, "write it without meta", "%q is a metadata key of its own", name)
				continue
			}
			if strings.HasPrefix(name, "og:") {
				r.problem(problem.Error, x.pos, "write it under social or property", "%q is a property, not a name",
					name)
				continue
			}
			r.oneKey("meta."+name, x, keys)
		}
	case "social":
		for _, x := range r.mapping(e.node, "social", KeysOf(SocialShape{})) {
			r.oneKey("property."+socialProperties[x.key], x, keys)
		}
	case "property":
		for _, x := range r.entries(e.node, "property") {
			r.variants("property."+x.key, "content", x, keys)
		}
	case "link":
		for _, x := range r.entries(e.node, "link") {
			rel := strings.ToLower(strings.TrimSpace(x.key))
			remedy := ""
			switch rel := strings.ToLower(rel); {
			case rel == "stylesheet":
				remedy = "make it an item: stylesheet: URL"
			case rel == "preload" || rel == "modulepreload" || rel == "prefetch":
				remedy = "make it an item: code: <link rel=…>"
			case rel == "canonical" || rel == "icon":
				remedy = "write it as the key " + rel
			case strings.ContainsAny(rel, " \t"):
				remedy = "name one rel"
			}
			if remedy != "" {
				r.problem(problem.Error, x.pos, remedy, "%q is not set under link", rel)
				continue
			}
			r.variants("link."+rel, "href", x, keys)
		}
	case "alternates":
		r.alternates(e, keys)
	case "icon":
		r.variants("icon", "href", e, keys)
	case "theme-color":
		r.variants("theme-color", "content", e, keys)
	default:
		r.oneKey(e.key, e, keys)
	}
}

// oneKey reads a key that stands on a page once.
func (r *reader) oneKey(name string, e entry, keys *[]Key) {
	if v, none, ok := r.metaText(e.key, e.node); ok {
		r.addKey(keys, Key{Name: name, Values: []MetaValue{v}, None: none, Pos: e.pos})
	}
}

// metaText reads the value of a metadata key.
func (r *reader) metaText(what string, n ast.Node) (v MetaValue, none, ok bool) {
	t, ok := r.oneText(n, what)
	if !ok {
		return v, false, false
	}
	tmpl, ok := r.template(n, t.Value, placeholder.Scope{})
	if !ok {
		return v, false, false
	}
	if what == "lang" && t.Value != "none" && !r.language(t) {
		return v, false, false
	}
	return MetaValue{Value: tmpl, Text: t.Value, Pos: t.Pos}, t.Value == "none", true
}

// language reports what is no tag of a language (RFC 5646). Nothing is said of one with placeholders.
func (r *reader) language(t Text) bool {
	if strings.Contains(t.Value, "@{") || t.Value == "" {
		return true
	}
	_, err := language.Parse(t.Value)
	if err != nil {
		r.problem(problem.Error, t.Pos, "write it like en, pt-BR or zh-Hans", "%q is not a language", t.Value)
	}
	return err == nil
}

// variants reads a key that may stand on a page often: a value, a mapping with
// what tells it from others, or a list of these.
func (r *reader) variants(name, value string, e entry, keys *[]Key) {
	known := append([]string{value}, variantAttrs...)
	known = append(known, "type", "title")
	for _, n := range r.list(e.node) {
		switch r.resolve(n).(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			var v MetaValue
			attrs := map[string]string{}
			good := false
			before := len(r.problems)
			for _, x := range r.mapping(n, e.key, known) {
				t, ok := r.oneText(x.node, x.key)
				switch {
				case !ok:
				case x.key == value:
					if m, _, ok := r.metaText(x.key, x.node); ok {
						v.Value, v.Text, v.Pos, good = m.Value, m.Text, m.Pos, true
					}
				default:
					attrs[x.key] = t.Value
					v.Attrs = append(v.Attrs, Attr{Name: x.key, Text: t.Value, Pos: t.Pos})
				}
			}
			if !good {
				if len(r.problems) == before {
					r.errorf(r.at(n), "%s has no %s", e.key, value)
				}
				continue
			}
			r.addKey(keys,
				Key{Name: name, Variant: VariantOf(func(a string) string { return attrs[a] }), Values: []MetaValue{v},
					None: v.Text == "none", Pos: e.pos})
		default:
			if v, none, ok := r.metaText(e.key, n); ok {
				r.addKey(keys, Key{Name: name, Values: []MetaValue{v}, None: none, Pos: e.pos})
			}
		}
	}
}

// addKey adds a key to a rule; a second value of the same is one more element.
func (r *reader) addKey(keys *[]Key, k Key) {
	for i := range *keys {
		have := &(*keys)[i]
		if have.ID() != k.ID() {
			continue
		}
		switch {
		case have.None || k.None:
			r.errorf(k.Pos, "%q is none and has a value, too", k.Name)
		default:
			have.Values = append(have.Values, k.Values...)
		}
		return
	}
	*keys = append(*keys, k)
}

// KnownKey reports whether a name, as KeyName gives it, is that of a metadata
// key; a suggestion comes with one that is not.
func KnownKey(name string) (ok bool, suggestion string) {
	for _, prefix := range []string{"meta.", "property.", "link."} {
		if strings.HasPrefix(name, prefix) && len(name) > len(prefix) {
			return true, ""
		}
	}
	name, _ = SplitID(name)
	if slices.Contains(MetadataKeys, name) || name == "icon" || name == "theme-color" {
		return true, ""
	}
	return false, didyoumean.Suggest(name, metaKeys)
}
