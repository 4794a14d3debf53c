package snippet

import "strings"

// An attrKind is what an attribute holds.
type attrKind uint8

const (
	attrUnknown attrKind = iota // nobody vouches that it is text
	attrText
	attrLoads // a URL that the browser loads, or that a form is sent to
	attrLinks // a URL that visitors follow
	attrStyle // a value of CSS
)

// urlAttrs are the attributes that take one URL.
var urlAttrs = words("href src action formaction poster data cite background ping manifest xlink:href longdesc")

// TakesURL reports whether the value of an attribute is a URL.
func TakesURL(attr string) bool { return urlAttrs[attr] }

// textAttrs are the attributes of HTML and SVG that hold text, numbers, names or words, and
// of which no value makes code, a request or a change of what other attributes mean.
var textAttrs = words(`abbr accept accesskey alt autocapitalize autocomplete charset class color cols colspan coords
	datetime dir dirname download enterkeyhint for form headers height high hreflang id inputmode
	integrity itemid itemprop itemref itemtype label lang list low max maxlength media min minlength name nonce optimum
	pattern placeholder property role rows rowspan scope shape size sizes slot span start step summary tabindex
	title translate value width
	cx cy d dx dy offset opacity points r rotate rx ry text-anchor textlength transform viewbox x x1 x2 xml:lang y y1 y2`)

// styleAttrs are the attributes of SVG and old HTML that hold one value of CSS.
var styleAttrs = words("bgcolor fill stop-color stroke stroke-width font-size font-weight")

// noText are elements whose attributes say what other elements do, or what is loaded.
var noText = words("animate animatemotion animatetransform set discard param base")

func words(list string) map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(list) {
		m[w] = true
	}
	return m
}

// NoPlace says why no value can stand in an attribute of an element, both in lower case;
// "" where one can. has looks up other attributes of the element.
func NoPlace(element, attr string, has func(string) bool) string {
	kind, where := kindOfAttr(element, attr, has)
	if kind == attrStyle {
		return "in " + attr
	}
	return where
}

// kindOfAttr says what an attribute of an element holds, both in lower case; where says
// why no value can stand in it. has looks up other attributes of the element; it may be
// nil.
func kindOfAttr(element, name string, has func(string) bool) (kind attrKind, where string) {
	switch {
	case strings.HasPrefix(name, "on"):
		return attrUnknown, "in an event handler"
	case name == "srcdoc" || name == "srcset" || name == "imagesrcset" || name == "http-equiv":
		return attrUnknown, "in " + name
	case noText[element]:
		return attrUnknown, "in an attribute of <" + element + ">"
	case element == "meta" && name == "content" && has != nil && has("http-equiv"):
		return attrUnknown, "in the content of a meta element with http-equiv"
	case name == "style":
		return attrStyle, ""
	case name == "cite" || (element == "a" || element == "area") && (name == "href" || name == "xlink:href"):
		return attrLinks, ""
	case urlAttrs[name]:
		return attrLoads, ""
	case styleAttrs[name]:
		return attrStyle, ""
	case textAttrs[name] || name == "content" || strings.HasPrefix(name, "data-") || strings.HasPrefix(name, "aria-"):
		return attrText, ""
	}
	return attrUnknown, "in the attribute " + name + ", which is not known to hold plain text"
}
