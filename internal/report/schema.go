package report

import (
	"io"
	"reflect"
	"slices"
	"strings"

	"github.com/invopop/jsonschema"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
)

// Schema writes the JSON Schema of the gate file, made from the types that the
// reader takes its keys from.
func Schema(w io.Writer) error {
	r := &jsonschema.Reflector{
		FieldNameTag: "key", DoNotReference: true, Anonymous: true, RequiredFromJSONSchemaTags: true,
		LookupComment: func(t reflect.Type, field string) string {
			if t.Kind() != reflect.Struct || field == "" {
				return ""
			}
			if f, ok := t.FieldByName(field); ok {
				return f.Tag.Get("doc")
			}
			return ""
		},
	}
	r.Mapper = func(t reflect.Type) *jsonschema.Schema { return form(r, t) }
	s := r.Reflect(gatefile.Shape{})
	s.Title = "Gate file of Yellow Gate"
	s.Required = []string{"yellowgate"}
	for key, form := range map[string]string{"items": gatefile.NameForm, "sets": gatefile.NameForm,
		"per-page": `^/[^*]*$`} {
		of, _ := s.Properties.Get(key)
		of.PropertyNames = &jsonschema.Schema{Pattern: form}
	}
	item, _ := s.Properties.Get("items")
	keys := gatefile.ItemKeys() // what an item carries comes first
	for _, part := range keys[:slices.Index(keys, "pages")] {
		item.AdditionalProperties.AnyOf = append(item.AdditionalProperties.AnyOf,
			&jsonschema.Schema{Required: []string{part}})
	}
	for p := s.Properties.Oldest(); p != nil; p = p.Next() { // a key may stand there with nothing below it yet
		if p.Key != "yellowgate" && p.Key != "strict" {
			whole := *p.Value
			p.Value = &jsonschema.Schema{
				AnyOf:       []*jsonschema.Schema{&whole, {Type: "null"}},
				Description: whole.Description,
			}
			whole.Description = ""
		}
	}
	return JSON(w, s)
}

// scalar is a text, a number or a truth value.
func scalar() *jsonschema.Schema {
	return &jsonschema.Schema{Extras: map[string]any{"type": []string{"string", "number", "boolean"}}}
}

// oneOrMore is one of a kind or a list of them.
func oneOrMore(one ...*jsonschema.Schema) *jsonschema.Schema {
	var item *jsonschema.Schema
	if len(one) == 1 {
		item = one[0]
	} else {
		item = &jsonschema.Schema{AnyOf: one}
	}
	return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{item, {Type: "array", Items: item}}}
}

// form is the schema of a value that is no plain mapping; nil for any other.
func form(r *jsonschema.Reflector, t reflect.Type) *jsonschema.Schema {
	of := func(v any) *jsonschema.Schema { return reflected(r, reflect.TypeOf(v)) }
	at := func() *jsonschema.Schema { return one(of(gatefile.AtShape{}), gatefile.KeysOf(gatefile.AtShape{})...) }
	if pattern, ok := gatefile.Forms[t]; ok {
		return textForm(t, pattern)
	}
	if strings.HasPrefix(t.Name(), "OneOrMore[") {
		return listForm(r, t.Elem())
	}
	switch t {
	case reflect.TypeFor[gatefile.CheckName]():
		return words(append(checks.Names(), problem.Names()...)...)
	case reflect.TypeFor[gatefile.Names]():
		return oneOrMore(form(r, reflect.TypeFor[gatefile.Name]()))
	case reflect.TypeFor[gatefile.MetadataNames]():
		plain := append(slices.Clone(gatefile.MetadataKeys), "theme-color", "icon")
		return oneOrMore(words(plain...),
			&jsonschema.Schema{Type: "string", Pattern: `^(meta|property|link|social)\..`})
	case reflect.TypeFor[gatefile.Line]():
		return scalar()
	case reflect.TypeFor[gatefile.Version]():
		return &jsonschema.Schema{Enum: []any{1}}
	case reflect.TypeFor[gatefile.Texts]():
		return oneOrMore(scalar())
	case reflect.TypeFor[gatefile.Queries]():
		return oneOrMore(&jsonschema.Schema{Type: "string"}, of(gatefile.NotedQuery{}))
	case reflect.TypeFor[gatefile.SetOf]():
		return &jsonschema.Schema{
			AnyOf: []*jsonschema.Schema{form(r, reflect.TypeFor[gatefile.Queries]()), of(gatefile.SetShape{})},
		}
	case reflect.TypeFor[gatefile.Parts]():
		return oneOrMore(scalar(), of(gatefile.OnlyShape{}))
	case reflect.TypeFor[gatefile.Matchers]():
		return oneOrMore(&jsonschema.Schema{Type: "string"}, one(of(gatefile.MatcherShape{}), "url", "text"))
	case reflect.TypeFor[gatefile.MetaValues]():
		return oneOrMore(scalar(), of(gatefile.VariantShape{}))
	case reflect.TypeFor[gatefile.Loading]():
		return words("defer", "async", "module", "now")
	case reflect.TypeFor[gatefile.SeverityWord]():
		return words("error", "warning", "note", "none")
	case reflect.TypeFor[gatefile.OnePlace]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{words(gatefile.PlaceNames()...), at()}}
	case reflect.TypeFor[gatefile.PlaceShape]():
		return &jsonschema.Schema{
			AnyOf: []*jsonschema.Schema{words(gatefile.PlaceNames()...), at(), of(gatefile.PartPlaces{})},
		}
	case reflect.TypeFor[gatefile.ParamOf]():
		full := reflected(r, reflect.TypeFor[paramOf]())
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{scalar(), full}}
	case reflect.TypeFor[gatefile.Tree]():
		return &jsonschema.Schema{Type: "object"}
	}
	return nil
}

// reflected is the schema of a type as its fields say.
func reflected(r *jsonschema.Reflector, t reflect.Type) *jsonschema.Schema {
	s := r.ReflectFromType(t)
	s.Version = ""
	return s
}

func words(list ...string) *jsonschema.Schema {
	s := &jsonschema.Schema{Type: "string"}
	for _, w := range list {
		s.Enum = append(s.Enum, w)
	}
	return s
}

// one has a mapping have exactly one of the keys.
func one(s *jsonschema.Schema, keys ...string) *jsonschema.Schema {
	for _, key := range keys {
		s.OneOf = append(s.OneOf, &jsonschema.Schema{Required: []string{key}})
	}
	return s
}

// textForm is the schema of a text with a pattern, and of what YAML reads such a text as.
func textForm(t reflect.Type, pattern string) *jsonschema.Schema {
	text := &jsonschema.Schema{Type: "string", Pattern: pattern}
	switch t {
	case reflect.TypeFor[gatefile.Size](), reflect.TypeFor[gatefile.Fraction]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{text, {Type: "number", Minimum: "0"}}}
	case reflect.TypeFor[gatefile.Count]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{text, {Type: "integer", Minimum: "0"}}}
	case reflect.TypeFor[gatefile.Words](), reflect.TypeFor[gatefile.Name](), reflect.TypeFor[gatefile.Fragment]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{text, {Type: "number"}, {Type: "boolean"}}}
	}
	return text
}

// listForm is the schema of one mapping of a type, or a list of them.
func listForm(r *jsonschema.Reflector, t reflect.Type) *jsonschema.Schema {
	elem := reflected(r, t)
	switch t {
	case reflect.TypeFor[gatefile.Ask]():
		return oneOrMore(&jsonschema.Schema{Type: "string"}, elem, reflected(r, reflect.TypeFor[gatefile.PairsShape]()),
			reflected(r, reflect.TypeFor[gatefile.OnlyShape]()))
	case reflect.TypeFor[gatefile.ParamsOnOf]():
		elem.AdditionalProperties = scalar()
	case reflect.TypeFor[gatefile.OpenOf]():
		one(elem, "after", "scroll", "click", "fragment", "leaving")
	case reflect.TypeFor[gatefile.PlacedRule]():
		elem.Required = []string{"pages"}
	case reflect.TypeFor[gatefile.BudgetShape]():
		least := uint64(2)
		elem.MinProperties = &least
	}
	return oneOrMore(elem)
}

// paramOf has the fields of gatefile.ParamOf, which as itself may be a bare value.
type paramOf gatefile.ParamOf
