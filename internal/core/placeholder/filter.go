package placeholder

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/clipperhouse/uax29/v2/sentences"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/locale"
	"yellowgate/internal/core/markup"
)

// A Filter changes a value: cut N, sentence, strip, lower, upper; before "…" and after "…" take a separator off with
// what follows or precedes it, without "…" takes a text out; date and number read what people write, for machines, or,
// with a style, as the page's language has it; s and ms turn a span of time into a bare number of that unit; path lets
// a value in a URL be several parts of its path.
type Filter struct {
	Name  string
	Count int    // of cut
	Text  string // of before, after, without; the style of date and number
}

// Filters are the names of the filters.
var Filters = []string{
	"cut", "sentence", "strip", "lower", "upper", "before", "after", "without", "date", "number", "s", "ms", "path",
}

// local is the style of a number as a language writes it.
const local = "local"

// filter reads a filter behind its "|".
func (p *parser) filter() (f Filter, err *oneError) {
	p.space()
	start := p.i
	f.Name = p.word()
	switch f.Name {
	case "lower", "upper", "s", "ms", "path", "sentence", "strip":
	case "cut":
		p.space()
		n, bad := strconv.Atoi(p.word())
		if bad != nil || n < 1 {
			return f, p.fail(start, "cut needs a number of characters: cut 155")
		}
		f.Count = n
	case "before", "after", "without":
		p.space()
		text, ok := p.quoted()
		if !ok || text == "" {
			return f, p.fail(start, "%s needs a text in quotes: %s \" | \"", f.Name, f.Name)
		}
		f.Text = text
	case "date", "number":
		styles := map[string][]string{"date": locale.Styles, "number": {local}}[f.Name]
		p.space()
		start = p.i
		if f.Text = p.word(); f.Text != "" && !slices.Contains(styles, f.Text) {
			return f, p.fail(start, "unknown style %q of %s%s: it is %s, or none for ISO 8601 and plain digits",
				f.Text, f.Name, didyoumean.Suggest(f.Text, styles), strings.Join(styles, ", "))
		}
	default:
		return f, p.fail(start, "unknown filter %q%s", f.Name, didyoumean.Suggest(f.Name, Filters))
	}
	return f, nil
}

// apply puts a value through the filter.
func (f *Filter) apply(v *Value, lookup func(string) string) error {
	switch f.Name {
	case "lower":
		v.Text = strings.ToLower(v.Text)
	case "upper":
		v.Text = strings.ToUpper(v.Text)
	case "cut":
		v.Text = Cut(v.Text, f.Count)
	case "sentence":
		v.Text = firstSentence(v.Text)
	case "strip":
		v.Text = markup.PlainText(v.Text)
	case "before":
		if i := strings.LastIndex(v.Text, f.Text); i >= 0 {
			v.Text = strings.TrimSpace(v.Text[:i])
		}
	case "after":
		if _, rest, ok := strings.Cut(v.Text, f.Text); ok {
			v.Text = strings.TrimSpace(rest)
		}
	case "without":
		v.Text = strings.TrimSpace(strings.ReplaceAll(v.Text, f.Text, ""))
	case "date":
		return f.date(v, lookup(Language))
	case "number":
		return f.number(v, lookup(Language))
	case "s", "ms":
		span, err := ParseSpan(v.Text)
		if err != nil {
			return err
		}
		if f.Name == "ms" {
			span *= 1000
		}
		v.Text, v.Number = strconv.FormatFloat(span, 'f', -1, 64), true
	}
	return nil
}

func (f *Filter) date(v *Value, lang string) error {
	d, err := locale.ReadDate(v.Text, lang)
	switch {
	case err != nil:
		return err
	case f.Text == "":
		v.Text = d.ISO()
		return nil
	}
	text, ok := d.In(lang, f.Text)
	if !ok {
		return unknownLanguage(lang)
	}
	v.Text = text
	return nil
}

func (f *Filter) number(v *Value, lang string) error {
	n, err := locale.ReadNumber(v.Text, lang)
	switch {
	case err != nil:
		return err
	case f.Text == "":
		v.Text, v.Number = n, true
		return nil
	}
	text, ok := locale.Number(n, lang)
	if !ok {
		return unknownLanguage(lang)
	}
	v.Text = text
	return nil
}

func unknownLanguage(lang string) error {
	if lang == "" {
		return fmt.Errorf("the page has no lang, so nobody knows how its language writes it")
	}
	return fmt.Errorf("how the language %q writes it is not known", lang)
}

// firstSentence is the first sentence of a text (Unicode Standard Annex 29). It does not end with an initial or a
// day, nor with an abbreviation that stands before a name or number: "Dr. Ellery".
func firstSentence(text string) string {
	text = strings.TrimSpace(text)
	end := 0
	for s := sentences.FromString(text); s.Next(); {
		end = s.End()
		if !abbreviated.MatchString(text[max(0, end-20):end]) {
			break
		}
	}
	return strings.TrimSpace(text[:end])
}

var abbreviated = regexp.MustCompile(
	`(^|[\s(])(\p{L}|\d{1,2}|(?i:dr|mr|mrs|ms|mme|prof|st|no|nr|hr|fr|sr|jr|ca|bzw|vs|e\.g|i\.e|z\.\s?b|d\.\s?h|u\.\s?a|p\.\s?ex))\.\s*$`)

// Cut shortens a text to at most n characters, at the end of a word, with an
// ellipsis for what is left out.
func Cut(s string, n int) string {
	if utf8.RuneCountInString(s) <= n {
		return s
	}
	all := []rune(s)
	cut, next := string(all[:max(n-1, 0)]), all[max(n-1, 0)]
	if i := strings.LastIndexAny(cut, " \t\n"); i > 0 && next != ' ' && next != '\t' && next != '\n' {
		cut = cut[:i]
	}
	return strings.TrimRight(cut, " \t\n,;:.|-–—") + "…"
}
