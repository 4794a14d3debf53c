package locale

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-playground/locales"
)

// A Date is a day, and a time of it where one is given.
type Date struct {
	time.Time
	Timed bool // it has a time
	Zoned bool // and the zone that this is of
}

var (
	isoDate = regexp.MustCompile(
		`^(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d+)?)? ?(Z|[+-]\d{2}:?\d{2})?)?$`)
	dotted  = regexp.MustCompile(`(?:^|[^\d.])(\d{1,2})\. ?(\d{1,2})\. ?(\d{4})(?:$|\D)`)
	slashed = regexp.MustCompile(`(?:^|[^\d/-])(\d{1,4})([/-])(\d{1,2})[/-](\d{1,4})(?:$|[^\d/-])`)
	cjk     = regexp.MustCompile(`(\d{4})\s*[年년]\s*(\d{1,2})\s*[月월]\s*(\d{1,2})\s*[日일]?`)
	year    = regexp.MustCompile(`(?:^|\D)(\d{4})(?:$|\D)`)
	day     = regexp.MustCompile(`(?:^|[^\d:])(\d{1,2})(?:$|[^\d:])`)
	clock   = regexp.MustCompile(
		`(?i)(?:^|[^\d:])(\d{1,2})[:h](\d{2})(?::(\d{2}))?(?:\s*([ap])\.?m\b)?|(?:^|\D)(\d{1,2})\s*([ap])\.?m\b`)
	zone = regexp.MustCompile(`(?:^|\s)(UTC|GMT|Z|[+-]\d{2}:?\d{2})$`)
)

// ReadDate reads a date, with or without a time, as people write it in a language: ISO 8601, in words, or in numbers
// whose order is certain.
func ReadDate(text, lang string) (Date, error) {
	t := strings.Join(strings.Fields(text), " ")
	bad := fmt.Errorf("%q is not a date that can be read; 2027-08-14 and 14 August 2027 are", text)
	if m := isoDate.FindStringSubmatch(t); m != nil {
		return assemble(m[1:4], m[4:7], "", m[7], bad)
	}
	var ymd []string
	rest := t
	switch m := t; {
	case cjk.MatchString(m):
		x := cjk.FindStringSubmatch(m)
		ymd, rest = x[1:4], strings.Replace(t, x[0], " ", 1)
	case dotted.MatchString(m):
		x := dotted.FindStringSubmatch(m)
		ymd, rest = []string{x[3], x[2], x[1]}, strings.Replace(t, x[0], " ", 1)
	case slashed.MatchString(m):
		x := slashed.FindStringSubmatch(m)
		var err error
		if ymd, err = ordered(x[1], x[3], x[4], lang); err != nil {
			return Date{}, fmt.Errorf("%q: %w", text, err)
		}
		rest = strings.Replace(t, x[0], " ", 1)
	default:
		month, at := monthIn(t, lang)
		if month == 0 {
			return Date{}, bad
		}
		left := t[:at[0]] + " " + t[at[1]:]
		y := year.FindStringSubmatch(left)
		if y == nil {
			return Date{}, fmt.Errorf("%q is not a date that can be read: its year is missing", text)
		}
		left = strings.Replace(left, y[1], " ", 1)
		rest = left
		d := day.FindStringSubmatch(clock.ReplaceAllString(left, " "))
		if d == nil {
			return Date{}, fmt.Errorf("%q is not a date that can be read: its day is missing", text)
		}
		ymd = []string{y[1], strconv.Itoa(month), d[1]}
	}
	c := clock.FindStringSubmatch(rest)
	if c == nil {
		return assemble(ymd, []string{"", "", ""}, "", "", bad)
	}
	hms, half := c[1:4], strings.ToLower(c[4])
	if c[5] != "" {
		hms, half = []string{c[5], "0", ""}, strings.ToLower(c[6])
	}
	where := ""
	if z := zone.FindStringSubmatch(rest); z != nil {
		where = z[1]
	}
	return assemble(ymd, hms, half, where, bad)
}

// assemble makes a date of its numbers; those that are no date are the error.
func assemble(ymd, hms []string, half, where string, bad error) (Date, error) {
	var n [6]int
	for i, s := range append(append([]string{}, ymd...), hms...) {
		n[i], _ = strconv.Atoi(s)
	}
	if half != "" {
		if n[3] < 1 || n[3] > 12 {
			return Date{}, bad
		}
		n[3] %= 12
		if half == "p" {
			n[3] += 12
		}
	}
	at := time.UTC
	if len(where) > 3 {
		off, err := time.Parse("-0700", strings.ReplaceAll(where, ":", ""))
		if err != nil {
			return Date{}, bad
		}
		at = off.Location()
	}
	d := time.Date(n[0], time.Month(n[1]), n[2], n[3], n[4], n[5], 0, at)
	if n[0] < 1 || int(d.Month()) != n[1] || d.Day() != n[2] || d.Hour() != n[3] || d.Minute() != n[4] ||
		d.Second() != n[5] {
		return Date{}, bad
	}
	return Date{d, hms[0] != "", where != ""}, nil
}

// ordered is the year, month and day of a date in numbers, by what is certain of their order.
func ordered(a, b, c, lang string) ([]string, error) {
	if len(a) == 4 {
		return []string{a, b, c}, nil
	}
	if len(c) != 4 {
		return nil, fmt.Errorf("the year of a date has four digits")
	}
	x, _ := strconv.Atoi(a)
	y, _ := strconv.Atoi(b)
	monthFirst := y > 12
	if x <= 12 && y <= 12 && x != y {
		l := of(lang)
		if l == nil || strings.EqualFold(lang, "en") {
			return nil, fmt.Errorf(
				"which is the day, and which the month? Write it like 2027-08-14, or give the page a lang such as en-GB")
		}
		short := l.FmtDateShort(time.Date(2033, 11, 22, 0, 0, 0, 0, time.UTC))
		monthFirst = strings.Index(short, "11") < strings.Index(short, "22")
	}
	if monthFirst {
		a, b = b, a
	}
	return []string{c, b, a}, nil
}

// monthIn finds the name of a month, in a language or in English: its number from 1, and where it stands. One that
// stands beside a number counts first: some days of the week are called like months.
func monthIn(text, lang string) (month int, at []int) {
	lower := strings.ToLower(text)
	if len(lower) != len(text) {
		lower = text
	}
	for _, l := range []string{lang, "en"} {
		t := of(l)
		if t == nil {
			continue
		}
		beside, long := 0, 0
		for m := time.December; m >= time.January; m-- {
			for _, name := range namesOf(t, m) {
				for from := 0; ; {
					i := strings.Index(lower[from:], name)
					if i < 0 {
						break
					}
					i += from
					from = i + len(name)
					before, after := lower[max(0, i-12):i], lower[from:min(len(lower), from+12)]
					if wordEnd.MatchString(before) || wordStart.MatchString(after) {
						continue // a part of a word
					}
					near := 0
					if digitEnd.MatchString(before) {
						near++
					}
					if digitStart.MatchString(after) {
						near++
					}
					if at == nil || near > beside || near == beside && len(name) > long {
						month, at, beside, long = int(m), []int{i, from}, near, len(name)
					}
				}
			}
		}
		if at != nil {
			break
		}
	}
	return month, at
}

var (
	wordEnd    = regexp.MustCompile(`[\p{L}\p{M}]$`)
	wordStart  = regexp.MustCompile(`^[\p{L}\p{M}]`)
	digitEnd   = regexp.MustCompile(`\d\P{L}{0,2}(\p{Ll}{1,3} )?$`)
	digitStart = regexp.MustCompile(`^\P{L}{0,2}(\p{Ll}{1,3} )?\d`)
)

// namesOf are the names of a month, in lower case.
func namesOf(t locales.Translator, m time.Month) []string {
	wide, short := strings.ToLower(t.MonthWide(m)), strings.TrimRight(strings.ToLower(t.MonthAbbreviated(m)), ".")
	names := []string{wide, short, strings.TrimPrefix(strings.TrimPrefix(wide, "de "), "d’")}
	if m == time.September {
		names = append(names, "sept")
	}
	return slices.DeleteFunc(names, func(s string) bool { return strings.Trim(s, "0123456789") == "" })
}

// ISO is the date as ISO 8601 has it: 2027-08-14, 2027-08-14T20:30, 2027-08-14T20:30:00+02:00.
func (d Date) ISO() string {
	switch {
	case !d.Timed:
		return d.Format(time.DateOnly)
	case !d.Zoned && d.Second() == 0:
		return d.Format("2006-01-02T15:04")
	case !d.Zoned:
		return d.Format("2006-01-02T15:04:05")
	}
	return d.Format(time.RFC3339)
}

// Styles are the lengths in which a language writes a date (ECMA-402, dateStyle).
var Styles = []string{"full", "long", "medium", "short"}

// In is the day as a language writes it, in one of Styles; ok is false for a language that is not known.
func (d Date) In(lang, style string) (text string, ok bool) {
	l := of(lang)
	if l == nil {
		return "", false
	}
	switch style {
	case "full":
		return l.FmtDateFull(d.Time), true
	case "long":
		return l.FmtDateLong(d.Time), true
	case "medium":
		return l.FmtDateMedium(d.Time), true
	}
	return l.FmtDateShort(d.Time), true
}
