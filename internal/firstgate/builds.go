package firstgate

import (
	"path"
	"regexp"
	"strings"

	"yellowgate/internal/core/weburl"
	"yellowgate/internal/result"
)

// Names of files that each build makes anew: "main-4f2a9c1b.js" is "main-*.js" in a gate file, so that the next build's
// is found, too.

// changing stands for the part of a name that each build makes anew.
const changing = "\x00"

// builds are the folders whose files are named by a build, each with how a digest stands at the end of a name there.
type builds map[string]ending

type ending struct {
	before byte // a hyphen, a dot, an underscore
	length int
}

// words are the parts of a file's name, with what stands between them.
var words = regexp.MustCompile(`[A-Za-z0-9]+|[^A-Za-z0-9]+`)

// buildsOf looks for folders with names that carry a digest for sure: then what stands in its place in the others is
// one, too, though it has no digit, or a hyphen in it.
func buildsOf(loads []*result.Load) builds {
	b := builds{}
	for _, l := range loads {
		if l.Party != "own" {
			continue
		}
		dir, name, _ := apart(l)
		parts := words.FindAllString(name, -1)
		if n := len(parts); n > 2 && weburl.Digest(parts[n-1]) {
			b[dir] = ending{parts[n-2][len(parts[n-2])-1], len(parts[n-1])}
		}
	}
	return b
}

// apart takes the path of a load apart: the folder, the file's name, and its extension.
func apart(l *result.Load) (dir, name, ext string) {
	address, _ := withoutFragment(l.Target)
	dir, base := path.Split(address)
	ext = path.Ext(base)
	return dir, strings.TrimSuffix(base, ext), ext
}

// stable is the address of a load, and its query, with changing for what a build makes anew.
func (b builds) stable(l *result.Load) (address, query string) {
	address, query = withoutFragment(l.Target)
	if l.Party != "own" || l.Tag == "iframe" {
		return address, query
	}
	dir, name, ext := apart(l)
	tail := ""
	e, ok := b[dir]
	if ok && len(name) > e.length+1 && name[len(name)-e.length-1] == e.before {
		name, tail = name[:len(name)-e.length], changing
	}
	parts := words.FindAllString(name, -1)
	for i := 1; i < len(parts); i++ {
		alike := ok && len(parts[i]) == e.length && parts[i-1][len(parts[i-1])-1] == e.before &&
			strings.ToLower(parts[i]) != parts[i] && strings.ToUpper(parts[i]) != parts[i]
		if alike || weburl.Digest(parts[i]) {
			parts[i] = changing
		}
	}
	return dir + strings.Join(parts, "") + tail + ext, query
}

// named is a load by the name that it has in every build; nil where it has that already.
func (b builds) named(l *result.Load) *result.Load {
	address, _ := b.stable(l)
	if !strings.Contains(address, changing) {
		return nil
	}
	known := *l
	ext := path.Ext(address)
	known.Target = strings.TrimRight(strings.ReplaceAll(strings.TrimSuffix(address, ext), changing, ""), "-._~") + ext
	return &known
}
