package head

import (
	"fmt"
	"strconv"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"

	"github.com/zeebo/xxh3"
)

var titleShared = &check.Check{
	Name: "title-shared", Family: "head", Severity: problem.Warning,
	Title: "several pages have the same title",
	Doc: `Visitors cannot tell pages with one title apart in their tabs, their history and in
search results. Mostly a title was written into a template and never changed. Set
titles from what differs: title: "@{page.heading} | @{site.name}". The finding
stands on the first of the pages and names the others.`,
	Bad:  "-- site/visit/index.html --\n<title>Tern Hill Observatory</title>\n-- site/contact/index.html --\n<title>Tern Hill Observatory</title>",
	Good: "-- site/visit/index.html --\n<title>Visit | Tern Hill Observatory</title>\n-- site/contact/index.html --\n<title>Contact | Tern Hill Observatory</title>",
	Site: func(s *check.SitePass) {
		shared(s, titleFact.All(s), func(same []*phraseOn, others string) (string, string) {
			message := fmt.Sprintf(
				"%d pages have the title %q:%s too",
				len(same),
				wording.Cut(same[0].Text, 60),
				others,
			)
			bytes, headings := map[uint64]bool{}, map[uint64]bool{}
			for _, x := range same {
				bytes[x.Bytes] = true
				headings[x.Heading] = true
			}
			switch {
			case len(bytes) == 1:
				return fmt.Sprintf(
						"%d pages are copies, byte for byte, with the title %q:%s too",
						len(same),
						wording.Cut(same[0].Text, 60),
						others,
					),
					"keep one, or let the others name it as their canonical"
			case len(headings) < len(same) || headings[0]:
				return message, s.Site.Remedy(
					"give each its own, from what differs: their headings do not, so take a fact or the path in a metadata rule",
					"give each its own",
				)
			}
			return message, s.Site.Remedy(
				`give each its own, by a metadata rule: title: "@{page.heading} | @{site.name}"`,
				"give each its own; their headings differ",
			)
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
func shared(s *check.SitePass, all *[]phraseOn, say func(same []*phraseOn, others string) (message, remedy string)) {
	by := map[string][]int{}
	for i, x := range *all {
		by[x.Text] = append(by[x.Text], i)
	}
	for i, x := range *all {
		same := by[x.Text]
		if len(same) < 2 || same[0] != i {
			continue
		}
		others := ""
		for n, j := range same[1:] {
			if n == 3 {
				others += fmt.Sprintf(" and %d more", len(same)-4)
				break
			}
			if n > 0 {
				others += ","
			}
			others += " " + (*all)[j].Path
		}
		pages := make([]*phraseOn, len(same))
		for n, j := range same {
			pages[n] = &(*all)[j]
		}
		message, remedy := say(pages, others)
		s.Report(x.PageAt, x.Line, x.Column, message, remedy).Of(x.Text).Pages = len(same)
	}
}
