package head

import (
	"regexp"
	"strconv"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var answerNotVisible = &check.Check{
	Name: "answer-not-visible", Family: "head", Severity: problem.Note,
	Title: "an answer in the structured data is not on the page",
	Doc: `Search engines want visitors to see what the data says. The answer is in the
structured data, and the text of the page does not have it.`,
	Bad: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"FAQPage\", " +
		"\"mainEntity\": [{\"@type\": \"Question\", \"name\": \"Is the dome heated?\", \"acceptedAnswer\": " +
		"{\"@type\": \"Answer\", \"text\": \"No. Bring a coat, even in July.\"}}]}</script>\n<p>Come and see.</p>",
	Good: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"FAQPage\", " +
		"\"mainEntity\": [{\"@type\": \"Question\", \"name\": \"Is the dome heated?\", \"acceptedAnswer\": " +
		"{\"@type\": \"Answer\", \"text\": \"No. Bring a coat, even in July.\"}}]}</script>\n" +
		"<p>No. Bring a coat, even in July.</p>",
	Page: func(p *check.Pass) {
		if check.Swallowed(p) {
			return // and shows nothing of what follows
		}
		text := ""
		for _, d := range check.StructuredOf(p) {
			eachThing(d.Tree, func(kind string, thing map[string]any) {
				answer, _ := thing["text"].(string)
				if kind != "Answer" || answer == "" {
					return
				}
				if text == "" {
					text = visibleText(p)
				}
				if !strings.Contains(text, plainText(answer)) {
					p.At(d.E, "the page does not show the answer "+strconv.Quote(wording.Cut(answer, 60)),
						"show it on the page, too")
				}
			})
		}
	},
}

// visibleText is the text of a page's body, as plainText has it.
func visibleText(p *check.Pass) string {
	var b strings.Builder
	markup.Pieces(p.Source.Text, func(x markup.Piece) bool {
		if x.Kind == markup.PieceText && x.Start >= p.Scan.BodyBegin {
			b.WriteString(markup.DecodeText([]byte(p.Source.String(x.Start, x.End))))
		}
		return true
	})
	return plainText(b.String())
}

var tags = regexp.MustCompile(`<[^>]*>`)

// plainText is a text without tags, white space and case.
func plainText(s string) string {
	if strings.Contains(s, "<") {
		s = tags.ReplaceAllString(s, "")
	}
	return strings.ToLower(strings.Join(strings.Fields(s), ""))
}
