package locale

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// numeral is a number with what may stand between its digits.
var numeral = regexp.MustCompile(
	`((?:^|[\s(€$£])[-−]\s?)?(\d+(?:[.,]\d{2,3}|['’\x{00A0}\x{202F} ]\d{3})*(?:[.,]\d+)?)`)

// ReadNumber reads the first number of a text, such as "from 1.234,50 €", as a language writes numbers. It is given
// back in digits, with a point: 1234.50.
func ReadNumber(text, lang string) (string, error) {
	found := numeral.FindStringSubmatch(text)
	if found == nil {
		return "", fmt.Errorf("there is no number in %q", text)
	}
	n := strings.Map(func(r rune) rune {
		switch r {
		case ' ', '\u00A0', '\u202F', '\'', '’':
			return -1
		}
		return r
	}, found[2])
	point := -1 // where the fraction begins
	if at := strings.LastIndexAny(n, ".,"); at >= 0 {
		sign, other := n[at:at+1], map[byte]string{'.': ",", ',': "."}[n[at]]
		switch {
		case strings.Contains(n, other):
			point = at
		case strings.Count(n, sign) > 1:
		case len(n)-at-1 != 3 || at > 3 || strings.HasPrefix(n, "0"):
			point = at
		default:
			l := of(lang)
			if l == nil {
				return "", fmt.Errorf(
					"%q: is that a thousand or a fraction? Give the page a lang, or write it without %q", text, sign)
			}
			if decimal, group := separators(lang); sign == decimal && sign != group {
				point = at
			}
		}
	}
	whole, part := n, ""
	if point >= 0 {
		whole, part = n[:point], "."+n[point+1:]
	}
	out := strings.TrimLeft(strings.NewReplacer(".", "", ",", "").Replace(whole), "0")
	if out == "" {
		out = "0"
	}
	if out += part; found[1] != "" {
		out = "-" + out
	}
	return out, nil
}

// separators are the signs before a fraction and between thousands.
func separators(lang string) (decimal, group string) {
	text := of(lang).FmtNumber(1234567.5, 1)
	i := strings.LastIndexFunc(text, func(r rune) bool { return r < '0' || r > '9' })
	decimal = strings.Trim(text[i:], "0123456789")
	return decimal, strings.Trim(strings.TrimPrefix(strings.TrimSuffix(text[:i], "567"), "1"), "0123456789")
}

// Number writes a number, as ReadNumber gives it, as a language does; ok is false for a language that is not known.
func Number(number, lang string) (text string, ok bool) {
	l := of(lang)
	f, err := strconv.ParseFloat(number, 64)
	if l == nil || err != nil {
		return "", false
	}
	_, part, _ := strings.Cut(number, ".")
	return l.FmtNumber(f, uint64(len(part))), true
}
