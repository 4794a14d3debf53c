package head

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var titleShared = &check.Check{
	Name: "title-shared", Family: "head", Severity: problem.Warning,
	Title: "several pages have the same title",
	Doc: `Visitors cannot tell pages with one title apart in their tabs, their history and in
search results. Mostly a title was written into a template and never changed. Set
titles from what differs: title: "@{page.heading} | @{site.name}". The finding
stands on the first of the pages and names the others.`,
	Bad: "-- site/visit/index.html --\n<title>Tern Hill Observatory</title>\n-- site/contact/index.html --\n" +
		"<title>Tern Hill Observatory</title>",
	Good: "-- site/visit/index.html --\n<title>Visit | Tern Hill Observatory</title>\n" +
		"-- site/contact/index.html --\n<title>Contact | Tern Hill Observatory</title>",
	Site: func(s *check.SitePass) {
		shared(s, titleFact.All(s), func(same []*phraseOn, title, pages string) (string, string) {
			bytes, headings := map[uint64]bool{}, map[uint64]bool{}
			for _, x := range same {
				bytes[x.Bytes] = true
				headings[x.Heading] = true
			}
			switch {
			case len(bytes) == 1:
				return fmt.Sprintf("copies, byte for byte, with the title %s: %s", title, pages),
					"keep one, or let the others name it as their canonical"
			case len(headings) < len(same) || headings[0]:
				return fmt.Sprintf("same title %s on %s", title, pages), s.Site.Remedy(
					"give each its own, from what differs: their headings do not, so take a fact or the path in a metadata rule",
					"give each its own")
			}
			return fmt.Sprintf("same title %s on %s", title, pages), s.Site.Remedy(
				`give each its own, by a metadata rule: title: "@{page.heading} | @{site.name}"`,
				"give each its own; their headings differ")
		})
	},
}

// A phrase is what a page says of itself, and where.
type phrase struct {
	Text   string `json:"text,omitempty"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	// Digests of the page's bytes, and of its first heading; 0 for none.
	Bytes   uint64 `json:"bytes,omitempty"`
	Heading uint64 `json:"heading,omitempty"`
}

// A phraseOn is the phrase of a page.
type phraseOn struct {
	check.PageAt
	phrase
}

// keepPhrase keeps the phrases of pages that somebody looks for.
func keepPhrase(sum *[]phraseOn, at check.PageAt, fact *phrase) {
	if !at.Aside && fact.Text != "" {
		*sum = append(*sum, phraseOn{at, *fact})
	}
}

var titleFact = &check.Kind[phrase, []phraseOn]{
	ID: "title",
	Of: func(p *check.Pass) *phrase {
		if p.Title == "" {
			return nil
		}
		line, column := titleAt(p)
		f := &phrase{Text: p.Title, Line: line, Column: column}
		f.Bytes, _ = strconv.ParseUint(p.Digest[:min(len(p.Digest), 16)], 16, 64)
		if p.Page.Heading != "" {
			f.Heading = xxh3.HashString(p.Page.Heading)
		}
		return f
	},
	Add: keepPhrase,
}

// titleAt is the line and column of the page's first title; 0 where it has none.
func titleAt(p *check.Pass) (line, column int) {
	if all := check.Titles(p); len(all) > 0 {
		return all[0].Line, all[0].Column
	}
	return 0, 0
}

// shared reports a phrase that several pages have, once for all of them, on the
// first.
func shared(s *check.SitePass, all *[]phraseOn,
	say func(same []*phraseOn, quoted, pages string) (message, remedy string)) {
	by := map[string][]*phraseOn{}
	for i := range *all {
		x := &(*all)[i]
		by[x.Text] = append(by[x.Text], x)
	}
	for i := range *all {
		x := &(*all)[i]
		same := by[x.Text]
		if len(same) < 2 || same[0] != x {
			continue
		}
		paths := make([]string, min(len(same), 4))
		for n := range paths {
			paths[n] = same[n].Path
		}
		pages := wording.Both(paths)
		if more := len(same) - len(paths); more > 0 {
			pages = fmt.Sprintf("%s and %s", strings.Join(paths, ", "), wording.Count(more, "more page"))
		}
		message, remedy := say(same, strconv.Quote(wording.Cut(x.Text, 60)), pages)
		s.Report(x.PageAt, x.Line, x.Column, message, remedy).Of(x.Text).Pages = len(same)
	}
}
