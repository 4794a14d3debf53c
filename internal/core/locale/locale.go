// Package locale reads and writes dates and numbers as a language does (Unicode CLDR).
package locale

import (
	"strings"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/bg"
	"github.com/go-playground/locales/ca"
	"github.com/go-playground/locales/cs"
	"github.com/go-playground/locales/cy"
	"github.com/go-playground/locales/da"
	"github.com/go-playground/locales/de"
	"github.com/go-playground/locales/de_AT"
	"github.com/go-playground/locales/de_CH"
	"github.com/go-playground/locales/el"
	"github.com/go-playground/locales/en"
	"github.com/go-playground/locales/en_AU"
	"github.com/go-playground/locales/en_CA"
	"github.com/go-playground/locales/en_GB"
	"github.com/go-playground/locales/en_IE"
	"github.com/go-playground/locales/en_NZ"
	"github.com/go-playground/locales/en_US"
	"github.com/go-playground/locales/es"
	"github.com/go-playground/locales/es_MX"
	"github.com/go-playground/locales/et"
	"github.com/go-playground/locales/fi"
	"github.com/go-playground/locales/fr"
	"github.com/go-playground/locales/fr_CA"
	"github.com/go-playground/locales/fr_CH"
	"github.com/go-playground/locales/gl"
	"github.com/go-playground/locales/hr"
	"github.com/go-playground/locales/hu"
	"github.com/go-playground/locales/id"
	"github.com/go-playground/locales/is"
	"github.com/go-playground/locales/it"
	"github.com/go-playground/locales/ja"
	"github.com/go-playground/locales/ko"
	"github.com/go-playground/locales/lt"
	"github.com/go-playground/locales/lv"
	"github.com/go-playground/locales/nb"
	"github.com/go-playground/locales/nl"
	"github.com/go-playground/locales/nn"
	"github.com/go-playground/locales/pl"
	"github.com/go-playground/locales/pt"
	"github.com/go-playground/locales/pt_PT"
	"github.com/go-playground/locales/ro"
	"github.com/go-playground/locales/ru"
	"github.com/go-playground/locales/sk"
	"github.com/go-playground/locales/sl"
	"github.com/go-playground/locales/sv"
	"github.com/go-playground/locales/tr"
	"github.com/go-playground/locales/uk"
	"github.com/go-playground/locales/vi"
	"github.com/go-playground/locales/zh"
)

// known makes the languages that there are, by their tag in lower case.
var known = map[string]func() locales.Translator{
	"bg": bg.New, "ca": ca.New, "cs": cs.New, "cy": cy.New, "da": da.New, "de": de.New, "de-at": de_AT.New,
	"de-ch": de_CH.New, "el": el.New, "en": en.New, "en-au": en_AU.New, "en-ca": en_CA.New, "en-gb": en_GB.New,
	"en-ie": en_IE.New, "en-nz": en_NZ.New, "en-us": en_US.New, "es": es.New, "es-mx": es_MX.New, "et": et.New,
	"fi": fi.New, "fr": fr.New, "fr-ca": fr_CA.New, "fr-ch": fr_CH.New, "gl": gl.New,
	"hr": hr.New, "hu": hu.New, "id": id.New, "is": is.New, "it": it.New, "ja": ja.New, "ko": ko.New, "lt": lt.New,
	"lv": lv.New, "nb": nb.New, "nl": nl.New, "nn": nn.New, "no": nb.New, "pl": pl.New, "pt": pt.New,
	"pt-pt": pt_PT.New, "ro": ro.New, "ru": ru.New, "sk": sk.New, "sl": sl.New, "sv": sv.New, "tr": tr.New,
	"uk": uk.New, "vi": vi.New, "zh": zh.New,
}

// Chain lists the tags under which something for a language may stand, in lower case, the closest first: "de-at",
// "de" for de-AT (RFC 4647, 3.4).
func Chain(lang string) (tags []string) {
	tag := strings.ToLower(strings.TrimSpace(strings.ReplaceAll(lang, "_", "-")))
	for tag != "" {
		tags = append(tags, tag)
		i := strings.LastIndexByte(tag, '-')
		if i < 0 {
			break
		}
		tag = tag[:i]
		if j := strings.LastIndexByte(tag, '-'); j >= 0 && len(tag)-j == 2 { // a singleton goes with what followed it
			tag = tag[:j]
		}
	}
	return tags
}

// of is the language of a tag, or nil.
func of(lang string) locales.Translator {
	for _, tag := range Chain(lang) {
		if make := known[tag]; make != nil {
			return make()
		}
	}
	return nil
}
