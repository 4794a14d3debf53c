// Package yamltree reads YAML and JSON into trees whose values know where they stand, within
// limits: what is nested too deep or grows by aliases is an error and costs no more than
// its own length. It knows no keys.
package yamltree

import (
	"fmt"
	"strconv"
)

// The limits of a document.
const (
	MaxDepth   = 200     // levels of mappings and lists within one another
	MaxAliases = 10_000  // aliases that are followed
	MaxCopied  = 500_000 // values that aliases come to
)

// A Kind is what a value is.
type Kind uint8

const (
	Null Kind = iota
	Text
	Number
	Truth
	List
	Map
)

// A Value is one value of a document. Lines and columns count from 1, columns in
// characters.
type Value struct {
	Kind         Kind
	Text         string   // of a scalar, as it is written: 1.10 stays 1.10
	Keys         []string // of a mapping
	Kids         []*Value // of a mapping or a list
	Line, Column int
}

// An Error says what is wrong with a document, and where.
type Error struct {
	Line, Column int
	Message      string
	Limit        bool // the document goes beyond a limit, and is not malformed
}

func (e *Error) Error() string { return e.Message }

func failAt(line, column int, format string, args ...any) *Error {
	return &Error{Line: line, Column: column, Message: fmt.Sprintf(format, args...)}
}

// beyond is failAt for a limit.
func beyond(line, column int, format string, args ...any) *Error {
	e := failAt(line, column, format, args...)
	e.Limit = true
	return e
}

// Get is the value of a key of a mapping, or nil.
func (v *Value) Get(key string) *Value {
	for i, k := range v.Keys {
		if k == key {
			return v.Kids[i]
		}
	}
	return nil
}

// Plain is the value as encoding/json would have it: nil, string, float64, int64, bool,
// []any, map[string]any.
func (v *Value) Plain() any {
	switch v.Kind {
	case Text:
		return v.Text
	case Truth:
		return v.Text == "true"
	case Number:
		if n, err := strconv.ParseInt(v.Text, 10, 64); err == nil {
			return n
		}
		if n, err := strconv.ParseFloat(v.Text, 64); err == nil {
			return n
		}
		return v.Text
	case List:
		out := make([]any, len(v.Kids))
		for i, k := range v.Kids {
			out[i] = k.Plain()
		}
		return out
	case Map:
		out := make(map[string]any, len(v.Kids))
		for i, k := range v.Kids {
			out[v.Keys[i]] = k.Plain()
		}
		return out
	}
	return nil
}
