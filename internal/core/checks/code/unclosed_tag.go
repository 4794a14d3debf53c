package code

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var unclosedTag = &check.Check{
	Name: "unclosed-tag", Family: "code", Severity: problem.Error,
	Title: "the code of an item leaves an element open, or closes one it did not open",
	Doc: `What follows on the page then stands inside of the element, or the element around the
item ends with it: the layout breaks, far from the cause. yellowgate check finds it in
the gate file; on a page it means that the page was changed after apply. Mend the code,
and run yellowgate apply.`,
	Bad:  "<!--yg:summer-notice--><p class=\"notice\"><b>Open late</p><!--/yg:summer-notice-->",
	Good: "<!--yg:summer-notice--><p class=\"notice\"><b>Open late</b></p><!--/yg:summer-notice-->",
	Page: func(p *check.Pass) {
		p.EachRegion(func(r markup.Region, text []byte) {
			at, name, opened := p.Unbalanced(text)
			switch {
			case at < 0 || looksBare(text) != "":
			case opened:
				p.InRegion(r, at, "the code leaves <"+name+"> open: what follows on the page stands in it",
					"close it with </"+name+">, and run yellowgate apply")
			default:
				p.InRegion(r, at, "the code closes a <"+name+"> that it did not open",
					"take it out, and run yellowgate apply")
			}
		})
	},
}
