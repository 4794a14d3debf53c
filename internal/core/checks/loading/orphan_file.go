package loading

import (
	"bytes"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var orphanFile = &check.Check{
	Name: "orphan-file", Family: "loading", Severity: problem.Note,
	Title: "no page loads a script or stylesheet of the site",
	Doc: `No page loads the file, no other script or stylesheet imports it, and its name stands in
none of them: it is left over from something, or somebody forgot to load it. Nobody
waits for it, but whoever works on the site takes it for something that counts. Take it
off the site, or give it an item. Where a script puts names of such files together as it
runs, nothing is said; many files of one folder are one finding, and so is a file with the
smaller one (.min) made of it.`,
	Bad:  "-- site/js/slides-old.js --\nslides();\n-- site/visit/index.html --\n<title>Visit</title>",
	Good: "-- site/visit/index.html --\n<title>Visit</title>",
	Site: func(s *check.SitePass) {
		if len(s.Site.Code) == 0 {
			return
		}
		all, named := check.LoadFact.All(s), nameFact.All(s)
		var left []string
		for _, file := range s.Site.Code {
			if !all.Loads(file) && !named.files[path.Base(file)] {
				left = append(left, file)
			}
		}
		if len(left) == 0 {
			return
		}
		names, puts := namesInCode(s, left)
		left = slices.DeleteFunc(left, func(file string) bool {
			return names[path.Base(file)] || puts[path.Ext(file)] || named.puts[path.Ext(file)] || twinLoaded(all, file)
		})
		for len(left) > 0 {
			file, alike := left[0], alikeOf(left)
			left = left[len(alike):]
			if len(alike) > mostAlike {
				s.AtFile(file, 1,
					fmt.Sprintf("no page loads %s, nor %d files like it in %s", file, len(alike)-1, path.Dir(file)),
					"take them off the site, or load them where they are needed").Of("")
				continue
			}
			left = append(slices.Clone(alike[1:]), left...)
			weight := ""
			if text, ok := s.Site.ReadFile(file); ok {
				weight = " (" + wording.Bytes(len(text)) + ")"
			}
			s.AtFile(file, 1, fmt.Sprintf("no page loads %s%s", file, weight),
				"take it off the site, or load it where it is needed").Of("")
		}
	},
}

// names are the files of the site that stand by name in what of a page may load one.
type names struct {
	Files []string `json:"files,omitempty"` // base names
	Puts  []string `json:"puts,omitempty"`  // kinds of file, by ending, of which its scripts put names together
}

type allNames struct{ files, puts map[string]bool }

var nameFact = &check.Kind[names, allNames]{
	ID: "names",
	Of: func(p *check.Pass) *names {
		if p.Site == nil || len(p.Site.CodeNames) == 0 {
			return nil
		}
		files, puts := map[string]bool{}, map[string]bool{}
		p.EachCode(func(text []byte, script bool) {
			mentioned(text, func(name string) {
				if p.Site.CodeNames[name] {
					files[name] = true
				}
			})
			if script {
				putsTogether(text, puts)
			}
		})
		for i := range p.Elements { // a loader of modules is told so with which to begin
			if e := &p.Elements[i]; e.Tag == "script" && e.URL != "" {
				if main, ok := markup.AttrValue(p.Source.Text, e.El.Start, "data-main"); ok {
					files[strings.TrimSuffix(path.Base(main), ".js")+".js"] = true
				}
			}
		}
		if len(files)+len(puts) == 0 {
			return nil
		}
		return &names{slices.Sorted(maps.Keys(files)), slices.Sorted(maps.Keys(puts))}
	},
	Add: func(sum *allNames, _ check.PageAt, fact *names) {
		if sum.files == nil {
			sum.files, sum.puts = map[string]bool{}, map[string]bool{}
		}
		for _, name := range fact.Files {
			sum.files[name] = true
		}
		for _, kind := range fact.Puts {
			sum.puts[kind] = true
		}
	},
}

// mostAlike is how many files of one folder are told one by one.
const mostAlike = 3

// alikeOf is the first file of a sorted list with those that follow in its folder, of its kind.
func alikeOf(files []string) []string {
	n := 1
	for n < len(files) && path.Dir(files[n]) == path.Dir(files[0]) && path.Ext(files[n]) == path.Ext(files[0]) {
		n++
	}
	return files[:n]
}

// twinLoaded reports whether pages load the same file made smaller, or the one it was made of.
func twinLoaded(all *check.AllLoads, file string) bool {
	ext := path.Ext(file)
	stem, small := strings.CutSuffix(strings.TrimSuffix(file, ext), ".min")
	for _, twin := range []string{stem + ".min" + ext, stem + ext, stem + ".slim" + ext, stem + ".bundle" + ext} {
		if (twin != file || small) && all.Loads(twin) {
			return true
		}
	}
	return false
}

// putsTogether reports which kinds of file a script makes names as it runs: the ending stands
// in it as a text of its own.
func putsTogether(text []byte, into map[string]bool) {
	for _, ending := range []string{".js", ".css", ".mjs"} {
		for at := 0; !into[ending]; {
			i := bytes.Index(text[at:], []byte(ending))
			if i < 0 {
				break
			}
			i += at
			at = i + len(ending)
			before := bytes.TrimSuffix(text[:i], []byte(".min"))
			if len(before) > 0 && strings.IndexByte("'\"`}", before[len(before)-1]) >= 0 && at < len(text) &&
				strings.IndexByte("'\"`?", text[at]) >= 0 {
				into[ending] = true
			}
		}
	}
}

// namesInCode lists the base names, of files that nothing loads, that stand in other
// scripts and stylesheets, each of which is read once. Where a script makes a name as it
// runs, the name without its ending and its numbers ends a text there. puts are the kinds of
// file of which scripts put names together.
func namesInCode(s *check.SitePass, files []string) (names, puts map[string]bool) {
	stems := map[string][]string{} // by stem, the base names
	names, puts = map[string]bool{}, map[string]bool{}
	for _, file := range files {
		base := path.Base(file)
		stem := strings.TrimSuffix(strings.TrimRight(strings.TrimSuffix(base, path.Ext(base)), "0123456789.-_"), ".min")
		if len(stem) < 3 {
			names[base] = true // too short to be told from other words
			continue
		}
		stems[stem] = append(stems[stem], base)
	}
	for _, file := range s.Site.Code {
		text, ok := s.Site.ReadFile(file)
		if !ok {
			continue
		}
		self := path.Base(file)
		mentioned(text, func(name string) { names[name] = names[name] || name != self })
		if path.Ext(file) == ".css" {
			continue
		}
		putsTogether(text, puts)
		endings(text, func(word string) {
			for _, base := range stems[word] {
				names[base] = names[base] || base != self
			}
		})
	}
	return names, puts
}

// endings calls yield for each word that ends a text in a script: it stands after a
// quote, a slash or a filled place of a template, and before a quote or such a place.
func endings(text []byte, yield func(word string)) {
	for i := 0; i < len(text); i++ {
		from := i
		for i < len(text) && isFileByte(text[i]) {
			i++
		}
		if i > from && from > 0 && i < len(text) && strings.IndexByte("'\"`/}", text[from-1]) >= 0 &&
			strings.IndexByte("'\"`$", text[i]) >= 0 {
			yield(string(text[from:i]))
		}
	}
}

// mentioned calls yield for each name of a script or stylesheet that stands in a
// text, without its folders.
func mentioned(text []byte, yield func(name string)) {
	for at := 0; ; {
		dot := bytes.IndexByte(text[at:], '.')
		if dot < 0 {
			return
		}
		dot += at
		at = dot + 1
		n := 0
		for _, ending := range []string{"js", "css", "mjs"} {
			if rest := text[at:]; len(rest) >= len(ending) && string(rest[:len(ending)]) == ending {
				n = len(ending)
			}
		}
		if end := at + n; n > 0 && (end == len(text) || !isFileByte(text[end])) {
			from := dot
			for from > 0 && isFileByte(text[from-1]) {
				from--
			}
			if from < dot {
				yield(string(text[from:end]))
			}
		}
	}
}

func isFileByte(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' || c == '.' || c == '-' || c == '_' ||
		c == '%' ||
		c == '~' ||
		c == '+' ||
		c >= 0x80
}
