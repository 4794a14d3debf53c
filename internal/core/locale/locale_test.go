package locale

import (
	"strings"
	"testing"
)

func TestReadDate(t *testing.T) {
	for _, c := range []struct{ text, lang, want string }{
		{"2027-08-14", "", "2027-08-14"},
		{" 2027-08-14  20:30 ", "", "2027-08-14T20:30"},
		{"2027-08-14T20:30:15.25+0200", "", "2027-08-14T20:30:15+02:00"},
		{"2027-08-14T20:30Z", "", "2027-08-14T20:30:00Z"},
		{"14 August 2027", "", "2027-08-14"},
		{"August 14th, 2027, 8:30 p.m.", "en", "2027-08-14T20:30"},
		{"Sat, 14 Aug 2027 20:30:00 GMT", "de", "2027-08-14T20:30:00Z"},
		{"Saturday, 14th of August 2027 at 12 am", "en", "2027-08-14T00:00"},
		{"14. März 2027", "de-AT", "2027-03-14"},
		{"le 1er août 2027 à 20h30", "fr", "2027-08-01T20:30"},
		{"14 de agosto de 2027", "es", "2027-08-14"},
		{"14 sierpnia 2027", "pl", "2027-08-14"},
		{"14.08.2027", "", "2027-08-14"},
		{"14/08/2027", "", "2027-08-14"},
		{"08/14/2027", "", "2027-08-14"},
		{"4/8/2027", "en-GB", "2027-08-04"},
		{"4/8/2027", "en-US", "2027-04-08"},
		{"2027/8/4", "", "2027-08-04"},
		{"2027年8月14日", "ja", "2027-08-14"},
		{"4/8/2027", "en", "!which is the day"},
		{"4/8/2027", "", "!which is the day"},
		{"31 February 2027", "", "!not a date"},
		{"2027-02-29", "", "!not a date"},
		{"August 2027", "", "!its day is missing"},
		{"14 August", "", "!its year is missing"},
		{"soon", "en", "!not a date"},
		{"14 Aug 2027 25:10", "", "!not a date"},
		{"14 Aug 2027 13 pm", "", "!not a date"},
		{"14 août 2027", "tlh", "!not a date"},
	} {
		d, err := ReadDate(c.text, c.lang)
		if why, fails := strings.CutPrefix(c.want, "!"); fails {
			if err == nil || !strings.Contains(err.Error(), why) {
				t.Errorf("%q in %q: %v, %v; want an error: %s", c.text, c.lang, d.ISO(), err, why)
			}
		} else if err != nil || d.ISO() != c.want {
			t.Errorf("%q in %q: %s, %v; want %s", c.text, c.lang, d.ISO(), err, c.want)
		}
	}
}

// TestEveryLanguage: what a language writes, long, it reads again.
func TestEveryLanguage(t *testing.T) {
	for tag := range known {
		for _, iso := range []string{"2027-01-02", "2027-03-31", "2027-05-09", "2027-08-14", "2027-09-21", "2027-12-25"} {
			d, _ := ReadDate(iso, "")
			for _, style := range []string{"full", "long"} {
				text, ok := d.In(tag, style)
				again, err := ReadDate(text, tag)
				if !ok || err != nil || again.ISO() != iso {
					t.Errorf("%s writes %s as %q and reads %s, %v", tag, iso, text, again.ISO(), err)
				}
			}
		}
		for _, n := range []string{"0.5", "1234.50", "1234567", "-12.25", "999"} {
			text, ok := Number(n, tag)
			again, err := ReadNumber(text, tag)
			if !ok || err != nil || again != n {
				t.Errorf("%s writes %s as %q and reads %s, %v", tag, n, text, again, err)
			}
		}
	}
}

func TestReadNumber(t *testing.T) {
	for _, c := range []struct{ text, lang, want string }{
		{"from 1.234,50 €", "", "1234.50"}, {"$1,234.50", "", "1234.50"}, {"1,234", "en", "1234"}, {"1,234", "de", "1.234"},
		{"1.234", "de", "1234"}, {"1'234.5", "de-CH", "1234.5"}, {"1 234,5", "fr", "1234.5"}, {"12 seats, 14 stools",
			"", "12"},
		{"12, 14", "", "12"}, {"0,125", "", "0.125"}, {"1.234.567", "", "1234567"}, {"12,34,567", "",
			"1234567"}, {
			"-5 °C", "", "-5"},
		{"A-4", "", "4"}, {"007", "", "7"}, {"3.0", "", "3.0"}, {"1,234", "", "!a thousand or a fraction"}, {"none",
			"en", "!no number"},
	} {
		n, err := ReadNumber(c.text, c.lang)
		if why, fails := strings.CutPrefix(c.want, "!"); fails {
			if err == nil || !strings.Contains(err.Error(), why) {
				t.Errorf("%q in %q: %s, %v; want an error: %s", c.text, c.lang, n, err, why)
			}
		} else if err != nil || n != c.want {
			t.Errorf("%q in %q: %s, %v; want %s", c.text, c.lang, n, err, c.want)
		}
	}
}
