package checks

import (
	"bytes"
	"fmt"
	"path"
	"strings"

	"yellowgate/internal/core/gatefile"
)

var orphanFile = &Check{
	Name: "orphan-file", Family: "loading", Severity: gatefile.Note,
	Title: "no page loads a script or stylesheet of the site",
	Doc: `No page loads the file, no other script or stylesheet imports it, and its name stands in
none of them: it is left over from something, or somebody forgot to load it. Nobody
waits for it, but whoever works on the site takes it for something that counts. Take it
off the site, or give it an item.`,
	Bad:  "/js/slides-old.js  (which nothing names)",
	Good: "(the file is gone)",
	Site: func(s *SitePass) {
		if s.Site == nil || len(s.Site.Code) == 0 {
			return
		}
		var left []string
		for _, file := range s.Site.Code {
			if s.Site.loaded[file] == 0 && s.Site.imported[file] == nil && !s.Site.named[path.Base(file)] {
				left = append(left, file)
			}
		}
		if len(left) == 0 {
			return
		}
		names := map[string]bool{} // base names that other files of code mention
		for _, file := range s.Site.Code {
			if text, ok := s.Site.Read(file); ok {
				self := path.Base(file)
				mentioned(text, func(name string) {
					if name != self {
						names[name] = true
					}
				})
			}
		}
		for _, file := range left {
			if names[path.Base(file)] || s.putTogether(file) {
				continue
			}
			weight := ""
			if text, ok := s.Site.Read(file); ok {
				weight = " (" + gatefile.Bytes(len(text)) + ")"
			}
			s.findings = append(s.findings, Finding{s.check.Name, s.check.Severity.String(), "", strings.TrimPrefix(file, "/"), 1, 1, "",
				fmt.Sprintf("no page loads %s%s", file, weight), "take it off the site, or load it where it is needed"})
		}
	},
}

// putTogether reports whether a script seems to make the name of a file as it runs:
// the name without its ending and its numbers ends a text there.
func (s *SitePass) putTogether(file string) bool {
	stem := strings.TrimRight(strings.TrimSuffix(path.Base(file), path.Ext(file)), "0123456789.-_")
	stem = strings.TrimSuffix(stem, ".min")
	if len(stem) < 3 {
		return true
	}
	for _, other := range s.Site.Code {
		if other == file || path.Ext(other) == ".css" {
			continue
		}
		text, _ := s.Site.Read(other)
		for at := 0; ; {
			i := bytes.Index(text[at:], []byte(stem))
			if i < 0 {
				break
			}
			at += i
			before := at
			at += len(stem)
			if before > 0 && strings.IndexByte("'\"`/}", text[before-1]) >= 0 && at < len(text) && strings.IndexByte("'\"`$", text[at]) >= 0 {
				return true
			}
		}
	}
	return false
}

// mentioned calls yield for each name of a script or stylesheet that stands in a
// text, without its folders.
func mentioned(text []byte, yield func(name string)) {
	for _, ending := range [][]byte{[]byte(".js"), []byte(".css"), []byte(".mjs")} {
		for at := 0; ; {
			i := bytes.Index(text[at:], ending)
			if i < 0 {
				break
			}
			i += at
			from := i
			for from > 0 && isFileByte(text[from-1]) {
				from--
			}
			at = i + len(ending)
			if from < i && (at == len(text) || !isFileByte(text[at])) {
				yield(string(text[from:at]))
			}
		}
	}
}

func isFileByte(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' || c == '.' || c == '-' || c == '_' || c == '%' || c == '~' || c == '+' || c >= 0x80
}
