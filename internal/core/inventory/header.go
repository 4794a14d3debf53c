package inventory

import (
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// HeaderArea is the area of what the head of the server's answer says in place of an element.
const HeaderArea = "header"

// header lists what the answer says in the way of elements: links that load or describe something,
// rules for search engines, policies, a refresh. Such an element has no place in the page: line,
// column, offset and length are 0.
func (r *Record) header(a *page.Answer, weights Weights) {
	for _, l := range a.Links() {
		rel := l.Params["rel"]
		loads := markup.HeaderLoads(rel)
		if !loads && !markup.HasRel(rel, "canonical") && !markup.HasRel(rel, "alternate") {
			continue
		}
		e := Element{Tag: "link", Area: HeaderArea, Party: "inline", Label: rel, Rel: rel, Media: l.Params["media"]}
		e.El.Tag, e.El.Start = markup.TagLink, -1 // the page's base is not its base (HTML, 4.2.4.5)
		e.load(r, l.Target, loads)
		if e.IsStylesheet() && blocksPaint(e.Media) {
			e.Runs = "blocking"
		}
		e.weighFile(weights)
		r.Header = append(r.Header, e)
	}
	meta := func(name, label, content string) {
		r.Header = append(r.Header,
			Element{Tag: "meta", Area: HeaderArea, Party: "inline", Name: name, Label: label + " = " + content,
				Content: content, El: markup.Element{Tag: markup.TagMeta, Start: -1}})
	}
	if rules := a.Robots(); len(rules) > 0 {
		meta("robots", "robots", strings.Join(rules, ", "))
	}
	for _, policy := range a.Policies() {
		meta("", policyName, policy)
	}
	if v := a.Field("refresh"); v != "" {
		meta("", refreshName, v)
	}
}

// The names by which a meta says the same.
const (
	policyName  = "content-security-policy"
	refreshName = "refresh"
)

// IsPolicy and IsRefresh report what an element of the header is.
func (e *Element) IsPolicy() bool {
	return e.Area == HeaderArea && strings.HasPrefix(e.Label, policyName+" ")
}
func (e *Element) IsRefresh() bool {
	return e.Area == HeaderArea && strings.HasPrefix(e.Label, refreshName+" ")
}
