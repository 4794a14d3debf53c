package loading

import (
	"cmp"
	"fmt"
	"net/url"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/csp"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var blockedByPolicy = &check.Check{
	Name: "blocked-by-policy", Family: "loading", Severity: problem.Error,
	Title: "the page's own policy stops what it loads",
	Doc: `The page has a Content-Security-Policy, in a meta element or in the header of a captured
answer, and by that a browser refuses the element: the script does not run, the style does
not apply, the picture is not shown. The finding names the directive. Let the host in there,
give inline code a nonce or its digest, or take the element out. A policy is in force for
what stands below it. An audit with --browser also reports what scripts request and insert.`,
	Bad: "<meta http-equiv=\"Content-Security-Policy\" content=\"script-src 'self'\">\n" +
		"<script src=\"https://count.example/c.js\" async></script>",
	Good: "<meta http-equiv=\"Content-Security-Policy\" content=\"script-src 'self' https://count.example\">\n" +
		"<script src=\"https://count.example/c.js\" async></script>",
	Page: func(p *check.Pass) {
		reportStoppedText(p)
		reportStoppedThere(p)
	},
}

// reportStoppedThere tells what a policy stopped in the browser, besides what the text shows.
func reportStoppedThere(p *check.Pass) {
	type place struct{ line, column int }
	told := map[place]bool{}
	for f := range p.Told() {
		told[place{f.Line, f.Column}] = true
	}
	known := map[string]bool{} // targets that the text has told of
	for e := range p.All() {
		if told[place{e.Line, e.Column}] {
			known[e.Target] = true
			for _, m := range e.Brings {
				known[m.Target] = true
			}
		}
	}
	for _, r := range p.Visits() {
		for i := 1; i < len(r.Requests); i++ {
			if x := &r.Requests[i]; x.Failed == pageload.Policy && !known[x.Target] {
				rule := cmp.Or(x.Detail, "the page's policy")
				p.AtTarget(x.Target, x.Item, rule+" does not allow "+x.Target+check.AskedBy(r, i),
					"add its host to "+rule+", or remove what requests it")
			}
		}
		for i := range r.Mistakes {
			m := &r.Mistakes[i]
			switch {
			case m.Kind != "policy":
			case m.Request > 0:
				p.AtTarget(r.Requests[m.Request].Target, m.Item,
					fmt.Sprintf("%s, which %s:%d puts in", m.Message, r.Requests[m.Request].Target, m.Line),
					"do without it, or allow it with a nonce")
			case len(told) == 0: // the text tells which of its code is stopped
				p.Once(max(m.Line, 1), 1, m.Item, m.Message+", which a script of the page puts in",
					"do without it, or allow it with a nonce")
			}
		}
	}
}

// reportStoppedText tells what the policies of a page stop of its text.
func reportStoppedText(p *check.Pass) {
	policies := 0
	for i := range p.Header {
		if e := &p.Header[i]; e.IsPolicy() {
			if policies++; policies > 4 { // nobody writes more
				return
			}
			reportStopped(p, csp.Parse(e.Content), 0, "policy of the header")
		}
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "meta" || !check.Own(e) || e.Area != "head" {
			continue
		}
		if v, _ := p.Source.Attr(e.El.Start, "http-equiv"); strings.EqualFold(strings.TrimSpace(v),
			"content-security-policy") {
			if policies++; policies > 4 { // nobody writes more
				return
			}
			reportStopped(p, csp.Parse(e.Content), e.El.Start, fmt.Sprintf("policy in line %d", e.Line))
		}
	}
}

// policyKinds are what a policy calls what elements load.
var policyKinds = map[string]string{
	"script": csp.Script, "iframe": csp.Frame, "img": csp.Image, "source": csp.Image, "input": csp.Image,
	"image": csp.Image, "use": csp.Image, "video": csp.Media, "audio": csp.Media, "track": csp.Media,
	"object": csp.Object, "embed": csp.Object, "import": csp.Script,
}

// reportStopped tells what of the page, from an offset on, a policy stops. where says where that stands.
func reportStopped(p *check.Pass, rules *csp.Policy, from int, where string) {
	here := p.Base.Address(p.Path)
	whole := func(target, party string) *url.URL {
		if party == "own" {
			return p.Base.Address(target)
		}
		u, err := url.Parse(target)
		if err != nil {
			return nil
		}
		return u
	}
	for e := range p.All() {
		if !check.Own(e) || e.Area == inventory.HeaderArea || e.El.Start < from {
			continue
		}
		attr := func(name string) string {
			v, _ := markup.AttrValue(p.Source.Text, e.El.Start, name)
			return v
		}
		kind := policyKinds[e.Tag]
		switch {
		case e.IsStylesheet():
			kind = csp.Style
		case e.Tag == "source" && e.Kind() == inventory.Playing:
			kind = csp.Media
		case e.Tag == "link" && e.Rel != "" && strings.Contains(strings.ToLower(e.Rel), "icon"), e.Label == "style":
			kind = csp.Image
		}
		if u := whole(e.Target, e.Party); e.Loads && kind != "" && u != nil {
			if by := rules.Stops(
				csp.Request{Kind: kind, URL: u, Page: here, Nonce: attr("nonce"), Integrity: attr("integrity"),
					Parsed: true}); by != "" {
				p.At(e, fmt.Sprintf("%s does not allow %s (%s)", by, e.URL, where),
					"add its host to "+by+", or take the "+e.Tag+" out")
				continue
			}
		}
		if (e.IsScript() || e.Tag == "style") && e.Party == "inline" && e.El.ContentEnd > e.El.TagEnd {
			kind := csp.Script
			if e.Tag == "style" {
				kind = csp.Style
			}
			text := string(p.Source.Text[e.El.TagEnd:e.El.ContentEnd])
			if by := rules.StopsText(kind, text, attr("nonce")); by != "" {
				p.At(e, fmt.Sprintf("%s does not allow inline code (%s)", by, where),
					"give it a nonce, add its digest to "+by+", or put it into a file")
				continue
			}
		}
		for _, m := range e.Brings {
			kind := policyKinds[m.Tag]
			if m.Tag == "link" {
				kind = csp.Style
			}
			if u := whole(m.Target, m.Party); m.By == "" && e.IsScript() && kind != "" && u != nil {
				if by := rules.Stops(csp.Request{Kind: kind, URL: u, Page: here}); by != "" {
					p.At(e, fmt.Sprintf("%s does not allow %s, which this script loads (%s)", by, m.Written(), where),
						"add its host to "+by)
				}
			}
		}
	}
	reportStoppedAttributes(p, rules, from, where)
}

// reportStoppedAttributes reports event handlers and style attributes, all of a kind at the first.
func reportStoppedAttributes(p *check.Pass, rules *csp.Policy, from int, where string) {
	type kind struct {
		name, kind, remedy string
		first, count       int
		by                 string
	}
	kinds := []kind{
		{name: "event handler", kind: csp.Handler, remedy: "add the listeners in a script"},
		{name: "style attribute", kind: csp.Attribute, remedy: "put the styles into a stylesheet"},
	}
	for _, t := range p.Scan.Tags {
		if int(t.Start) < from || t.End == t.NameEnd+1 {
			continue
		}
		tag := p.Source.Text[:t.End]
		for i := int(t.NameEnd); ; {
			a, next, ok := markup.NextAttr(tag, i)
			if !ok {
				break
			}
			i = next
			name := strings.ToLower(string(tag[a.Name.Start:a.Name.End]))
			k := 0
			switch {
			case name == "style":
				k = 1
			case !strings.HasPrefix(name, "on") || len(name) < 4:
				continue
			}
			if by := rules.StopsText(kinds[k].kind, p.Source.AttrText(a), ""); by != "" {
				if kinds[k].count++; kinds[k].count == 1 {
					kinds[k].first, kinds[k].by = int(t.Start), by
				}
			}
		}
	}
	for _, k := range kinds {
		if k.count > 0 {
			line, column := p.Locate(k.first)
			p.Report(line, column, "",
				fmt.Sprintf("%s does not allow %s (%s)", k.by, counted(k.count, k.name), where), k.remedy)
		}
	}
}

func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
