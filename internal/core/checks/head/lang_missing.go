package head

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var langMissing = &check.Check{
	Name: "lang-missing", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "the page declares no language",
	Doc: `Screen readers choose their voice by the language, browsers offer translation and
hyphenate by it. Write <html lang="en">, or set it by a rule: lang: en.`,
	Bad:  "<!doctype html>\n<html>\n<head><title>Visit</title></head>",
	Good: "<!doctype html>\n<html lang=\"en\">\n<head><title>Visit</title></head>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Fragment || p.Frameset || check.GateGives(p, "lang") {
			return
		}
		if p.Page.Lang == "" {
			line, col := p.HeadAt()
			if !p.Scan.HTMLTag.None() {
				line, col = p.Locate(p.Scan.HTMLTag.Start)
			}
			p.Report(line, col, "", "the page declares no language",
				p.Site.Remedy("set it by a metadata rule: lang, with the language that the page is in",
					`write it into the html tag, with the language that the page is in: <html lang="…">`))
		}
	},
}
