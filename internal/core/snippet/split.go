package snippet

import (
	"bytes"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

// A Pieced is a vendor's code taken apart: what each key of an item is to have.
// Each stands in the place that it needs, so a noscript's image never comes into
// the head.
type Pieced struct {
	Suffix string // "" for the item itself, else what its name ends in
	Keys   []string
	Values []string // by Keys
	Box    bool     // it has a container, which goes to the body's end where nothing else is said
}

// Split takes a vendor's code apart: scripts, inline set-up, stylesheets and
// styles, what stands for visitors without scripting, containers, and what
// belongs into the head. whole is true where it cannot be taken apart and stays
// in one piece.
func Split(code string) (out []Pieced, whole bool) {
	src := []byte(strings.TrimPrefix(code, "\uFEFF"))
	s := splitter{src: src, page: markup.Scan(src, nil), main: Pieced{}}
	if gatefile.ContentsOf(code).Cut >= 0 {
		return nil, true
	}
	if at, _, _ := markup.Unbalanced(src); at >= 0 {
		return nil, true
	}
	for s.pos < len(src) {
		if !s.next() {
			return nil, true
		}
	}
	return s.finish(), false
}

type splitter struct {
	src  []byte
	page *markup.Document
	pos  int

	main                       Pieced
	load, media                string
	loads                      map[string]bool
	attrs                      string
	scripts                    []string // as they are written
	head, noscript, containers []string
}

// next takes one top-level piece; false where it does not fit an item.
func (s *splitter) next() bool {
	rest := s.src[s.pos:]
	lt := bytes.IndexByte(rest, '<')
	if lt < 0 {
		return len(bytes.TrimSpace(rest)) == 0 && s.skip(len(rest)) || s.text(len(rest))
	}
	if lt > 0 {
		if len(bytes.TrimSpace(rest[:lt])) > 0 {
			return s.text(lt)
		}
		return s.skip(lt)
	}
	if bytes.HasPrefix(rest, []byte("<!--")) { // a vendor's remark
		n := bytes.Index(rest, []byte("-->"))
		return n >= 0 && s.skip(n+3)
	}
	at := s.pos
	content, end, err := s.page.Extent(at)
	if err != nil {
		return false
	}
	element := string(s.src[at:end])
	inside := strings.TrimSpace(string(s.src[content.Start:content.End]))
	attr := func(name string) string { v, _ := markup.AttrValue(s.src, at, name); return v }
	ok := true
	switch markup.TagAt(s.src, at) {
	case markup.TagScript:
		ok = s.script(at, inside, attr)
		s.scripts = append(s.scripts, element)
	case markup.TagLink:
		if strings.EqualFold(attr("rel"), "stylesheet") {
			s.put("stylesheet", attr("href"))
			ok = s.one(&s.media, attr("media"))
			s.rest(at, "rel", "href", "media", "type")
			break
		}
		s.head = append(s.head, element)
	case markup.TagStyle:
		s.put("style-text", inside)
		ok = s.one(&s.media, attr("media"))
	case markup.TagMeta, markup.TagBase, markup.TagTitle:
		s.head = append(s.head, element)
	case markup.TagNoscript:
		s.noscript = append(s.noscript, element)
	default:
		s.containers = append(s.containers, element)
	}
	s.pos = end
	return ok
}

func (s *splitter) skip(n int) bool { s.pos += n; return true }

func (s *splitter) text(n int) bool {
	s.containers = append(s.containers, strings.TrimSpace(string(s.src[s.pos:s.pos+n])))
	return s.skip(n)
}

// script takes a script element; data blocks and kinds of their own stay as they
// are, among the containers.
func (s *splitter) script(at int, inside string, attr func(string) string) bool {
	if markup.ScriptType(s.src, at) == markup.DataBlock {
		return false
	}
	_, module := markup.AttrValue(s.src, at, "type")
	module = module && markup.ScriptType(s.src, at) == markup.Module
	if url, external := markup.AttrValue(s.src, at, "src"); external {
		s.put("script", url)
		load := "now"
		if _, ok := markup.AttrValue(s.src, at, "defer"); ok {
			load = "defer"
		}
		if _, ok := markup.AttrValue(s.src, at, "async"); ok {
			load = "async"
		}
		if module {
			load = "module"
		}
		s.rest(at, "src", "defer", "async", "type", "language", "charset", "integrity")
		if v := attr("integrity"); v != "" {
			s.put("integrity", v)
		}
		if s.loads == nil {
			s.loads = map[string]bool{}
		}
		s.loads[load], s.load = true, load
		return len(s.loads) == 1
	}
	text := strings.TrimSuffix(strings.TrimPrefix(inside, "<!--"), "-->")
	text = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(text), "//"))
	s.put("script-text", text)
	s.rest(at, "type", "language")
	return !module
}

// put gives a key one more value.
func (s *splitter) put(key, value string) {
	s.main.Keys = append(s.main.Keys, key)
	s.main.Values = append(s.main.Values, value)
}

// one keeps a value that all elements have to share.
func (s *splitter) one(have *string, v string) bool {
	if *have == "" {
		*have = v
	}
	return *have == v
}

// rest keeps the attributes of a tag that no key is for.
func (s *splitter) rest(at int, known ...string) {
	var out []string
	markup.Attrs(s.src, at, func(a markup.Attr) bool {
		name := strings.ToLower(string(s.src[a.Name.Start:a.Name.End]))
		for _, k := range known {
			if k == name {
				return true
			}
		}
		value := "true"
		if !a.Value.None() {
			value = markup.DecodeAttr(s.src[a.Value.Start:a.Value.End])
		}
		out = append(out, name+"="+value)
		return true
	})
	if len(out) > 0 && s.attrs == "" {
		s.attrs = strings.Join(out, "\n")
	}
}

// finish makes items of what was taken: the item itself, and others for what
// needs a place of its own.
func (s *splitter) finish() (out []Pieced) {
	if s.attrs != "" && len(s.main.Keys) > 1 { // attrs would be those of every tag: the scripts stay as they are
		kept := Pieced{}
		for i, key := range s.main.Keys {
			if key == "stylesheet" || key == "style-text" {
				kept.Keys, kept.Values = append(kept.Keys, key), append(kept.Values, s.main.Values[i])
			}
		}
		s.main, s.load, s.attrs = kept, "", ""
		if len(s.scripts) > 0 {
			s.put("code", strings.Join(s.scripts, "\n"))
		}
	}
	if s.load != "" && s.load != "defer" {
		s.put("load", s.load)
	}
	if s.media != "" {
		s.put("media", s.media)
	}
	for _, a := range strings.FieldsFunc(s.attrs, func(r rune) bool { return r == '\n' }) {
		s.put("attrs", a)
	}
	for _, code := range [][]string{s.containers, s.noscript} {
		if len(code) > 0 {
			s.put("code", strings.Join(code, "\n"))
		}
	}
	s.main.Box = len(s.containers) > 0
	if len(s.main.Keys) > 0 {
		out = append(out, s.main)
	}
	if len(s.head) > 0 {
		out = append(out,
			Pieced{Suffix: "-head", Keys: []string{"code", "place"},
				Values: []string{strings.Join(s.head, "\n"), gatefile.HeadEnd}})
	}
	if len(out) == 1 {
		out[0].Suffix = ""
	}
	return out
}
