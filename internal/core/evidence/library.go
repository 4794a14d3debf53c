package evidence

import (
	"sync"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
)

// A Library reads the stylesheets and scripts of a site, each once. It may be used
// from several goroutines.
type Library struct {
	// Read returns a file of the site, by its path.
	Read func(path string) ([]byte, bool)

	sheets  sync.Map // path, or digest of an inline text -> *Sheet, nil for a file that is not there
	scripts sync.Map // scriptKey -> *Script, nil also for one that does not parse
}

type scriptKey struct {
	path   string
	module bool
}

// Sheet returns the stylesheet at a path; nil where the site has no such file.
func (l *Library) Sheet(path string) *Sheet {
	if s, ok := l.sheets.Load(path); ok {
		return s.(*Sheet)
	}
	var s *Sheet
	if text, ok := l.Read(path); ok {
		s = ReadSheet(text)
	}
	l.sheets.Store(path, s)
	return s
}

// Script returns the script at a path; nil where the site has none, or none that
// parses.
func (l *Library) Script(path string, module bool) *Script {
	key := scriptKey{path, module}
	if s, ok := l.scripts.Load(key); ok {
		return s.(*Script)
	}
	var s *Script
	if text, ok := l.Read(path); ok {
		s = ReadScript(text, module)
	}
	l.scripts.Store(key, s)
	return s
}

// SheetsOf returns the stylesheets that an element of a page brings: its file or its
// text, and what that imports. whole is false where one of them cannot be read.
func (l *Library) SheetsOf(r *inventory.Record, e *inventory.Element) (list []*Sheet, whole bool) {
	whole = true
	add := func(s *Sheet) {
		if s == nil {
			whole = false
			return
		}
		list = append(list, s)
	}
	switch {
	case e.El.Tag == markup.TagStyle:
		add(l.inlineSheet(r, e))
	case e.Party == "own" && e.Ref.Own:
		add(l.Sheet(e.Ref.Path))
	default:
		whole = false
	}
	for _, m := range e.Imports {
		if m.Party != "own" {
			whole = false
			continue
		}
		add(l.Sheet(m.Target))
	}
	return list, whole
}

func (l *Library) inlineSheet(r *inventory.Record, e *inventory.Element) *Sheet {
	if s, ok := l.sheets.Load(e.Digest); ok {
		return s.(*Sheet)
	}
	s := ReadSheet(content(r, e))
	l.sheets.Store(e.Digest, s)
	return s
}

// scriptsOf is SheetsOf for a script.
func (l *Library) scriptsOf(r *inventory.Record, e *inventory.Element) (list []*Script, whole bool) {
	whole = true
	add := func(s *Script) {
		if s == nil {
			whole = false
			return
		}
		list = append(list, s)
	}
	module := e.Module()
	switch {
	case e.Loads && e.Party == "own":
		add(l.Script(e.Ref.Path, module))
	case e.Party == "inline" && e.URL == "":
		key := scriptKey{e.Digest, module}
		s, ok := l.scripts.Load(key)
		if !ok {
			s = ReadScript(content(r, e), module)
			l.scripts.Store(key, s)
		}
		add(s.(*Script))
	default:
		whole = false
	}
	for _, m := range e.Imports {
		if m.Party != "own" {
			whole = false
			continue
		}
		add(l.Script(m.Target, true))
	}
	return list, whole
}

func content(r *inventory.Record, e *inventory.Element) []byte {
	if e.El.ContentEnd <= e.El.TagEnd {
		return nil
	}
	return r.Source.Text[e.El.TagEnd:e.El.ContentEnd]
}
