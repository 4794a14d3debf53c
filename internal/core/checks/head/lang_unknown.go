package head

import (
	"fmt"

	"golang.org/x/text/language"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var langUnknown = &check.Check{
	Name: "lang-unknown", Family: "head", Severity: problem.Warning,
	Title: "the page names a language that there is not",
	Doc: `The language is a tag as RFC 5646 has it, such as en, pt-BR or zh-Hant. Screen readers and
translators pass over any other: english, en_US with an underscore, or the name of a country.`,
	Bad:  "<!doctype html>\n<html lang=\"english\">\n<head><title>Visit</title></head>",
	Good: "<!doctype html>\n<html lang=\"en-GB\">\n<head><title>Visit</title></head>",
	Page: func(p *check.Pass) {
		lang, ok := "", false
		if !p.Scan.HTMLTag.None() {
			lang, ok = p.Source.Attr(p.Scan.HTMLTag.Start, "lang")
		}
		if !ok || lang == "" || check.GateGives(p, "lang") {
			return
		}
		if why := notALanguage(lang); why != "" {
			line, col := p.Locate(p.Scan.HTMLTag.Start)
			p.Report(line, col, "", fmt.Sprintf("lang=%q is not a language: %s", lang, why),
				"write a tag such as en, pt-BR or zh-Hant").
				Of(lang)
		}
	},
}

// notALanguage says why a text is no tag of a language (RFC 5646, 2.1 and 2.2); "" where it is one.
func notALanguage(tag string) string {
	for i := range len(tag) {
		if tag[i] == '_' {
			return "parts are joined by a hyphen"
		}
	}
	if _, err := language.Parse(tag); err != nil {
		return "nobody has registered it"
	}
	return ""
}
