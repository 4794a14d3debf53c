package code

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/syntax"
)

var bareCode = &check.Check{
	Name: "bare-code", Family: "code", Severity: problem.Error,
	Title: "the code of an item is CSS or JavaScript in a place for HTML",
	Doc: `Visitors read it as text at the top of the page, and it does nothing. Use style-text or
script-text, or put it into <style> or <script> tags.`,
	Bad:  "<!--yg:counter-->window.visits = 1; count();<!--/yg:counter-->",
	Good: "<!--yg:counter--><script>window.visits = 1; count();</script><!--/yg:counter-->",
	Page: func(p *check.Pass) {
		p.EachRegion(func(r markup.Region, text []byte) {
			if language := looksBare(text); language != "" {
				p.InRegion(r, 0, "this looks like bare "+language+": visitors read it as text",
					"use script-text or style-text in the gate file, or put it into tags")
			}
		})
	},
}

// looksBare names the language of code without any tags; "" for anything else.
func looksBare(text []byte) string {
	if strings.Contains(string(text), "<") {
		return ""
	}
	return syntax.LooksLike(string(text))
}
