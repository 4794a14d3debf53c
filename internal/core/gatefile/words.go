package gatefile

import (
	"maps"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/locale"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// Words of the site by language, for placeholders: words: {en: {book: Book}, de: {book: Buchen}}.

// Word is the value of a word in a language, or in the one that is meant where that has none: de for de-AT; nil where
// there is none.
func (g *Gate) Word(lang, name string) *MetaValue {
	for _, tag := range locale.Chain(lang) {
		if v := g.Words[tag][name]; v != nil {
			return v
		}
	}
	return nil
}

// words reads the words of each language.
func (r *reader) words(n ast.Node) {
	for _, lang := range r.entries(n, "words") {
		if !r.language(Text{lang.key, lang.pos}) {
			continue
		}
		tag := strings.ToLower(lang.key)
		if r.gate.Words == nil {
			r.gate.Words = map[string]map[string]*MetaValue{}
		}
		if r.gate.Words[tag] == nil {
			r.gate.Words[tag] = map[string]*MetaValue{}
		}
		for _, e := range r.entries(lang.node, "words of "+lang.key) {
			r.checkName("a word", e.key, e.pos)
			if !r.once("the word "+tag+" ", e.key, e.pos) {
				continue
			}
			used := len(r.shared.words)
			v, _, ok := r.metaText(e.key, e.node)
			if len(r.shared.words) > used {
				r.problem(problem.Error, e.pos, "write the text out, or use both words where this one is used",
					"the word %q names another word", e.key)
				v.Value = &placeholder.Template{} // who uses the word makes no mistake
			}
			if ok {
				r.gate.Words[tag][e.key] = &v
			}
		}
	}
}

// wordUse is a placeholder that names a word.
type wordUse struct {
	name string
	pos  problem.Position
}

// noteWords notes the words that a template names.
func (r *reader) noteWords(t *placeholder.Template, at func(offset int) problem.Position) {
	for _, piece := range t.Pieces {
		if piece.Placeholder == nil {
			continue
		}
		for _, o := range piece.Placeholder.Options {
			if name, ok := strings.CutPrefix(o.Name, "words."); ok {
				r.shared.words = append(r.shared.words, wordUse{name, at(piece.Placeholder.Offset)})
			}
		}
	}
}

// checkWords refuses words that no language has.
func (r *reader) checkWords() {
	known := map[string]bool{}
	for _, words := range r.gate.Words {
		for name := range words {
			known[name] = true
		}
	}
	for _, use := range r.shared.words {
		if !known[use.name] {
			r.problem(problem.Error, use.pos,
				"write it under words, for each language: words: {en: {"+use.name+": …}}", "words has no %q%s",
				use.name, didyoumean.Suggest(use.name, slices.Sorted(maps.Keys(known))))
		}
	}
	r.shared.words = nil
}
