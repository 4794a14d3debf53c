package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var structuredIncomplete = &check.Check{
	Name: "structured-incomplete", Family: "head", Severity: problem.Warning,
	Title: "structured data lacks what its type requires",
	Doc: `Without these properties search engines do not use the data: an event without a date,
a question without an answer. The table has the types of the open vocabulary that
pages use most.`,
	Bad: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\", " +
		"\"name\": \"Perseids\"}</script>",
	Good: "<script type=\"application/ld+json\">{\"@context\": \"https://schema.org\", \"@type\": \"Event\", " +
		"\"name\": \"Perseids\", \"startDate\": \"2026-08-12\", \"location\": {\"@type\": \"Place\", \"name\": " +
		"\"The lawn\"}}</script>",
	Page: func(p *check.Pass) {
		for _, d := range check.StructuredOf(p) {
			if thing, ok := d.Tree.(map[string]any); ok && thing["@type"] == nil && thing["@graph"] == nil &&
				thing["@id"] == nil &&
				len(thing) > 0 {
				p.At(d.E, "the structured data does not say what it is about: it has no @type",
					"add one, such as \"@type\": \"Event\"").
					Of("@type")
			} else if ok && thing["@context"] == nil && thing["@type"] != nil {
				p.At(d.E, "the structured data does not say whose words it uses: it has no @context",
					`add "@context": "https://schema.org"`).Of("@context")
			}
			eachThing(d.Tree, func(kind string, thing map[string]any) {
				var missing []string
				for _, property := range required[kind] {
					if v, ok := thing[property]; !ok || v == nil || v == "" {
						missing = append(missing, property)
					}
				}
				if len(missing) > 0 {
					p.At(d.E, kind+" lacks "+strings.Join(missing, " and "),
						"add it; search engines do not use the data without").Of(kind)
				}
			})
		}
	},
}

// required are the properties that search engines require of a type.
var required = map[string][]string{
	"Event": {
		"name",
		"startDate",
		"location",
	}, "FAQPage": {"mainEntity"}, "Question": {"name", "acceptedAnswer"}, "Answer": {"text"},
	"Article": {
		"headline",
	}, "NewsArticle": {"headline"}, "BlogPosting": {"headline"}, "BreadcrumbList": {"itemListElement"}, "Product": {"name"},
	"Recipe": {"name", "image"}, "Organization": {"name"}, "LocalBusiness": {"name", "address"}, "Person": {"name"},
	"VideoObject": {
		"name",
		"thumbnailUrl",
		"uploadDate",
	}, "JobPosting": {"title", "description", "datePosted", "hiringOrganization"},
}

// eachThing visits every typed thing of a tree that stands by itself: one that is
// a mere reference, of type and id, is passed over.
func eachThing(tree any, visit func(kind string, thing map[string]any)) {
	switch t := tree.(type) {
	case []any:
		for _, x := range t {
			eachThing(x, visit)
		}
	case map[string]any:
		_, referred := t["@id"]
		if kind, ok := t["@type"].(string); ok && !(referred && len(t) <= 2) {
			visit(kind, t)
		}
		for _, x := range t {
			switch x.(type) {
			case map[string]any, []any:
				eachThing(x, visit)
			}
		}
	}
}
