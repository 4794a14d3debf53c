package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
)

var doubleLoad = &Check{
	Name: "double-load", Family: "loading", Severity: gatefile.Error,
	Title: "the page loads one file twice",
	Doc: `A script that is loaded twice runs twice: counters count double, handlers fire double.
A stylesheet loaded twice is work for nothing. Mostly two add-ons each bring their
own copy. Keep one.`,
	Bad:  "<script src=\"/js/site.js\" defer></script>\n<script src=\"/js/site.js\" defer></script>",
	Good: "<script src=\"/js/site.js\" defer></script>",
	Page: func(p *Pass) {
		first := map[string]int{}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !Own(e) || !e.Loads || !e.IsScript() && !e.IsStylesheet() {
				continue
			}
			key := e.Tag + " " + e.Ref.URL
			if j, dup := first[key]; dup {
				p.At(e, fmt.Sprintf("%s is loaded a second time, first in line %d", e.URL, p.Elements[j].Line), "keep one of them")
				continue
			}
			first[key] = i
		}
	},
}
