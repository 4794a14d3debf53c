package report

import (
	"io"
	"reflect"
	"strings"

	"github.com/invopop/jsonschema"

	"yellowgate/internal/core/gatefile"
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
	of := func(v any) *jsonschema.Schema {
		s := r.ReflectFromType(reflect.TypeOf(v))
		s.Version = ""
		return s
	}
	words := func(list ...string) *jsonschema.Schema {
		s := &jsonschema.Schema{Type: "string"}
		for _, w := range list {
			s.Enum = append(s.Enum, w)
		}
		return s
	}
	switch t {
	case reflect.TypeFor[gatefile.Line]():
		return scalar()
	case reflect.TypeFor[gatefile.Version]():
		return &jsonschema.Schema{Enum: []any{1}}
	case reflect.TypeFor[gatefile.Texts]():
		return oneOrMore(scalar())
	case reflect.TypeFor[gatefile.Queries]():
		return oneOrMore(&jsonschema.Schema{Type: "string"})
	case reflect.TypeFor[gatefile.Matchers]():
		return oneOrMore(&jsonschema.Schema{Type: "string"}, of(gatefile.MatcherShape{}))
	case reflect.TypeFor[gatefile.MetaValues]():
		return oneOrMore(scalar(), of(gatefile.VariantShape{}))
	case reflect.TypeFor[gatefile.Loading]():
		return words("defer", "async", "module", "now")
	case reflect.TypeFor[gatefile.SeverityWord]():
		return words("error", "warning", "note", "none")
	case reflect.TypeFor[gatefile.OnePlace]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{words(gatefile.PlaceNames()...), of(gatefile.AtShape{})}}
	case reflect.TypeFor[gatefile.PlaceShape]():
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{words(gatefile.PlaceNames()...), of(gatefile.AtShape{}), of(gatefile.PartPlaces{})}}
	case reflect.TypeFor[gatefile.ParamOf]():
		full := r.ReflectFromType(reflect.TypeFor[paramOf]())
		full.Version = ""
		return &jsonschema.Schema{AnyOf: []*jsonschema.Schema{scalar(), full}}
	case reflect.TypeFor[gatefile.Tree]():
		return &jsonschema.Schema{Type: "object"}
	}
	if strings.HasPrefix(t.Name(), "OneOrMore[") {
		elem := r.ReflectFromType(t.Elem())
		elem.Version = ""
		if t.Elem() == reflect.TypeFor[gatefile.Ask]() {
			return oneOrMore(&jsonschema.Schema{Type: "string"}, elem)
		}
		return oneOrMore(elem)
	}
	return nil
}

// paramOf has the fields of gatefile.ParamOf, which as itself may be a bare value.
type paramOf gatefile.ParamOf
