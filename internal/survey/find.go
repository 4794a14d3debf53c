package survey

import (
	"bytes"
	"context"
	"path"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// mostHits is how many occurrences in one file are listed.
const mostHits = 1000

// found are the occurrences in one file.
type found struct {
	hits  []result.FindHit
	count map[string]int // by kind, those included that are not listed
}

func (f *found) add(kind string, hit func() result.FindHit) {
	if f.count == nil {
		f.count = map[string]int{}
	}
	if f.count[kind]++; len(f.hits) < mostHits {
		f.hits = append(f.hits, hit())
	}
}

// Find looks for a word, a name or a URL in the pages of a folder, and in its
// scripts and stylesheets. Upper and lower case are one.
func Find(ctx context.Context, dir, word string, project *project.Project,
	progress parallel.Progress) (*result.Find, error) {
	s := newSurvey(dir, project)
	from, err := site.OpenFolder(dir, false)
	if err != nil {
		return nil, err
	}
	files, _, err := from.List(s.skip)
	if err != nil {
		return nil, err
	}
	r := &result.Find{Word: word, Dir: dir, Count: map[string]int{}, Pages: map[string]int{}, Hits: []result.FindHit{}}
	pages := map[string]page.Page{}
	list, err := s.pages(files, from)
	if err != nil {
		return nil, err
	}
	for _, p := range list {
		pages[p.File] = p
	}
	kept := slices.DeleteFunc(files, func(f site.File) bool {
		return !f.Page && !slices.Contains([]string{".js", ".mjs", ".css"}, path.Ext(f.Path))
	})
	r.Files = len(kept)
	needle := bytes.ToLower([]byte(word))
	err = parallel.InOrder(ctx, len(kept), func(i int) (found, error) {
		buf := site.GetBuffer()
		defer buf.Release()
		b, err := from.ReadInto(buf, kept[i].Path)
		if err != nil {
			return found{}, err
		}
		p, isPage := pages[kept[i].Path]
		if !isPage {
			return findInFile(b, kept[i].Path, needle), nil
		}
		return findInPage(markup.ReadAs(b, p.Answer.Charset()), p, needle), nil
	}, func(i int, f found) error {
		if progress != nil {
			progress(i+1, len(kept))
		}
		r.Unlisted -= len(f.hits)
		for kind, n := range f.count {
			r.Count[kind] += n
			r.Unlisted += n
			r.Pages[kind]++
		}
		r.Hits = append(r.Hits, f.hits...)
		return nil
	})
	rank := map[string]int{}
	for i, k := range result.FindKinds {
		rank[k] = i
	}
	sort.SliceStable(r.Hits, func(i, j int) bool { return rank[r.Hits[i].Kind] < rank[r.Hits[j].Kind] })
	return r, err
}

func findInFile(b []byte, file string, needle []byte) (f found) {
	locate := markup.NewLocator(b)
	each(bytes.ToLower(b), needle, func(at int) {
		f.add("file", func() result.FindHit {
			line, col := locate.Locate(at)
			return result.FindHit{Kind: "file", File: file, Line: line, Column: col, Text: around(b, at, len(needle))}
		})
	})
	return f
}

// each calls visit for the offset of each occurrence.
func each(b, needle []byte, visit func(at int)) {
	for at := 0; len(needle) > 0; {
		n := bytes.Index(b[at:], needle)
		if n < 0 {
			return
		}
		visit(at + n)
		at += n + len(needle)
	}
}

// around is the text around an occurrence, on one line.
func around(b []byte, at, n int) string {
	from, to := at, at+n
	for from > 0 && at-from < 40 && b[from-1] != '\n' {
		from--
	}
	for to < len(b) && to-at-n < 40 && b[to] != '\n' {
		to++
	}
	return strings.ToValidUTF8(markup.CollapseSpace(string(b[from:to])), "")
}

func findInPage(src *markup.Source, p page.Page, needle []byte) (f found) {
	lower := bytes.ToLower(src.Text)
	if len(lower) != len(src.Text) || !bytes.Contains(lower, needle) {
		if lower = src.Text; !bytes.Contains(lower, needle) {
			return f
		}
	}
	scan := markup.Scan(src.Text, nil)
	regions := scan.Regions()
	locate := markup.NewLocator(src.Text)
	last := markup.Tag(0)
	markup.Pieces(src.Text, func(piece markup.Piece) bool {
		if piece.Kind == markup.PieceStartTag {
			last = markup.TagAt(src.Text, piece.Start)
		}
		counted := 0 // up to here: a word twice in one attribute is one occurrence
		each(lower[piece.Start:piece.End], needle, func(n int) {
			at := piece.Start + n
			kind, end := kindOf(src, piece, last, at)
			if kind == "" || at < counted {
				return
			}
			counted = end
			f.add(kind, func() result.FindHit {
				h := result.FindHit{Kind: kind, Page: p.Path, File: p.File, Text: around(src.Text, at, len(needle))}
				h.Line, h.Column = locate.Locate(at)
				for len(regions) > 0 && regions[0].End <= at {
					regions = regions[1:]
				}
				if len(regions) > 0 && at >= regions[0].Start {
					h.Item = regions[0].Name
				}
				return h
			})
		})
		return true
	})
	return f
}

// kindOf says what an occurrence in a piece of a page is, "" for a tag's own
// name, and where the attribute ends that it stands in.
func kindOf(src *markup.Source, piece markup.Piece, last markup.Tag, at int) (kind string, end int) {
	switch piece.Kind {
	case markup.PieceText:
		if last == markup.TagTitle {
			return "metadata", 0
		}
		return "text", 0
	case markup.PieceComment:
		return "comment", 0
	case markup.PieceScript:
		if piece.ScriptType == markup.DataBlock && piece.JSON {
			return "metadata", 0
		}
		return "inline code", 0
	case markup.PieceStyle:
		return "inline code", 0
	case markup.PieceEndTag:
		return "", 0
	case markup.PieceRaw:
		return "text", 0
	}
	markup.Attrs(src.Text, piece.Start, func(a markup.Attr) bool {
		end = a.Value.End
		if a.Value.None() {
			end = a.Name.End
		}
		if at < a.Name.Start || at >= end {
			return true
		}
		name := strings.ToLower(string(src.Text[a.Name.Start:a.Name.End]))
		switch {
		case name == "style" && inURL(src.Text[a.Value.Start:at]):
			kind = "load"
		case strings.HasPrefix(name, "on") || name == "style":
			kind = "inline code"
		case loads(tagName(src.Text, piece.Start), name):
			kind = "load"
		case last == markup.TagMeta || last == markup.TagLink:
			kind = "metadata"
		default:
			kind = "attribute"
		}
		return false
	})
	if kind == "load" && last == markup.TagLink {
		rel, _ := markup.AttrValue(src.Text, piece.Start, "rel")
		rel = strings.ToLower(rel)
		if !strings.Contains(rel, "stylesheet") && !strings.Contains(rel, "load") && !strings.Contains(rel, "icon") &&
			!strings.Contains(rel, "manifest") {
			kind = "metadata"
		}
	}
	return kind, end
}

// loads reports whether an attribute names something that the element fetches.
func loads(tag, attr string) bool {
	switch attr {
	case "src", "srcset", "poster":
		return true
	case "href":
		return tag == "link" || tag == "use" || tag == "image"
	case "xlink:href":
		return tag == "use" || tag == "image"
	case "data":
		return tag == "object"
	}
	return false
}

// tagName is the name of the tag at an offset, in lower case.
func tagName(text []byte, at int) string {
	end := at + 1
	for end < len(text) && text[end] > ' ' && text[end] != '>' && text[end] != '/' {
		end++
	}
	return strings.ToLower(string(text[min(at+1, end):end]))
}

// inURL reports whether a text of CSS ends within a url().
func inURL(css []byte) bool {
	lower := bytes.ToLower(css)
	open := bytes.LastIndex(lower, []byte("url("))
	return open >= 0 && bytes.IndexByte(lower[open:], ')') < 0
}
