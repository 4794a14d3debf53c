package usage

import (
	"fmt"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/memo"
)

// A Library reads the stylesheets and scripts of a site, each once. It may be used
// from several goroutines.
type Library struct {
	// Read returns a file of the site, by its path.
	Read func(path string) ([]byte, bool)
	// Words: stylesheets are read for all names and texts in them, too.
	Words bool

	sheets  memo.All[string, *Sheet]     // by path, nil for a file that is not there
	missing memo.All[string, bool]       // by path, of scripts
	scripts memo.All[scriptKey, *Script] // nil also for one that does not parse

	// Of inline texts, by their digests: pages may have as many as they like.
	inlineSheets  memo.Map[string, *Sheet]
	inlineScripts memo.Map[scriptKey, *Script]
}

type scriptKey struct {
	path   string
	module bool
}

// Sheet returns the stylesheet at a path; nil where the site has no such file.
func (l *Library) Sheet(path string) *Sheet {
	return l.sheets.Get(path, func() *Sheet {
		if text, ok := l.Read(path); ok {
			return l.readSheet(text)
		}
		return nil
	})
}

func (l *Library) readSheet(text []byte) *Sheet {
	s := ReadSheet(text)
	if l.Words {
		s.readWords(text)
	}
	return s
}

// Script returns the script at a path; nil where the site has none, or none that
// parses.
func (l *Library) Script(path string, module bool) *Script {
	return l.scripts.Get(scriptKey{path, module}, func() *Script {
		text, ok := l.Read(path)
		if !ok || len(text) > MaxScript {
			return nil
		}
		same := scriptKey{
			fmt.Sprintf("%x", xxh3.Hash128(text)),
			module,
		} // sites have copies of one file in many folders
		return l.scripts.Get(same, func() *Script { return ReadScript(text, module) })
	})
}

// MaxScript is how many bytes a script may have to be read for evidence: a larger one, such
// as a search index, takes longer than all the rest of a site, and counts as unread.
const MaxScript = inventory.MaxScript

// SheetsOf returns the stylesheets that an element of a page brings: its file or its
// text, and what that imports. whole is false where one of them cannot be read.
func (l *Library) SheetsOf(r *inventory.Record, e *inventory.Element) (list []*Sheet, whole bool) {
	inline := e.El.Tag == markup.TagStyle
	list, _, whole = gather(e, inline, func() *Sheet {
		return l.inlineSheets.Get(e.Digest, func() *Sheet { return l.readSheet(content(r, e)) })
	}, l.Sheet)
	return list, whole
}

// scriptsOf is SheetsOf for a script. files has for each the file that the element brings besides its own.
func (l *Library) scriptsOf(r *inventory.Record, e *inventory.Element) (list []*Script, files []string, whole bool) {
	module := e.Module()
	inline := e.Party == "inline" && e.URL == ""
	return gather(e, inline, func() *Script {
		return l.inlineScripts.Get(
			scriptKey{e.Digest, module},
			func() *Script { return ReadScript(content(r, e), module) },
		)
	}, func(path string) *Script { return l.Script(path, module || path != e.Ref.Path) })
}

// gather reads the text or the file of an element, "" among files, and what it imports.
func gather[T any](e *inventory.Element, inline bool, text func() *T,
	file func(path string) *T) (list []*T, files []string, whole bool) {
	whole = true
	add := func(x *T, path string) {
		if x == nil {
			whole = false
			return
		}
		list, files = append(list, x), append(files, path)
	}
	switch {
	case inline:
		add(text(), "")
	case e.Party == "own" && e.Ref.Own:
		add(file(e.Ref.Path), "")
	default:
		whole = false
	}
	for _, m := range e.Imports {
		if m.Party != "own" {
			whole = false
			continue
		}
		add(file(m.Target), m.Target)
	}
	for _, m := range e.Brings { // pictures and frames are no code
		switch {
		case m.Tag != "script" && m.Tag != "import":
		case m.Party != "own" || m.Open:
			whole = false
		default:
			add(file(m.Target), m.Target)
		}
	}
	return list, files, whole
}

func content(r *inventory.Record, e *inventory.Element) []byte {
	if e.El.ContentEnd <= e.El.TagEnd {
		return nil
	}
	return r.Source.Text[e.El.TagEnd:e.El.ContentEnd]
}
