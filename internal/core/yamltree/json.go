package yamltree

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"unicode/utf8"
)

// JSON reads a JSON text (RFC 8259). Its error is an *Error.
func JSON(text []byte) (*Value, error) {
	if err := utf8Error(text); err != nil {
		return nil, err
	}
	text = bytes.TrimPrefix(text, []byte("\uFEFF"))
	r := &jsonReader{text: text, dec: json.NewDecoder(bytes.NewReader(text)), line: 1}
	r.dec.UseNumber()
	v, err := r.value(0)
	if err == nil {
		if _, more := r.dec.Token(); more != io.EOF {
			err = r.fail("after the end of the value there is something else")
		}
	}
	if err != nil {
		return nil, err
	}
	return v, nil
}

type jsonReader struct {
	text       []byte
	dec        *json.Decoder
	at         int // how far lines were counted
	line       int
	lineOffset int
}

// position is the line and column of an offset, which never goes back.
func (r *jsonReader) position(offset int) (line, column int) {
	offset = min(offset, len(r.text))
	for {
		i := bytes.IndexByte(r.text[r.at:offset], '\n')
		if i < 0 {
			break
		}
		r.at += i + 1
		r.line, r.lineOffset = r.line+1, r.at
	}
	r.at = max(r.at, offset)
	return r.line, utf8.RuneCount(r.text[r.lineOffset:offset]) + 1
}

func (r *jsonReader) fail(message string) *Error {
	line, column := r.position(r.skip(int(r.dec.InputOffset())))
	return failAt(line, column, "%s", message)
}

// skip is the offset of the next token.
func (r *jsonReader) skip(offset int) int {
	for offset < len(r.text) && bytes.IndexByte([]byte(" \t\r\n,:"), r.text[offset]) >= 0 {
		offset++
	}
	return offset
}

func (r *jsonReader) token() (json.Token, int, int, *Error) {
	line, column := r.position(r.skip(int(r.dec.InputOffset())))
	t, err := r.dec.Token()
	var syntax *json.SyntaxError
	switch {
	case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
		return nil, line, column, failAt(line, column, "the JSON ends too early")
	case errors.As(err, &syntax):
		l, c := r.position(max(int(syntax.Offset)-1, r.at))
		return nil, line, column, failAt(l, c, "this is not JSON: %s", syntax.Error())
	case err != nil:
		return nil, line, column, failAt(line, column, "this is not JSON: %v", err)
	}
	return t, line, column, nil
}

func (r *jsonReader) value(depth int) (*Value, error) {
	t, line, column, err := r.token()
	if err != nil {
		return nil, err
	}
	v := &Value{Line: line, Column: column}
	switch t := t.(type) {
	case nil:
	case string:
		v.Kind, v.Text = Text, t
	case json.Number:
		v.Kind, v.Text = Number, t.String()
	case bool:
		v.Kind, v.Text = Truth, map[bool]string{true: "true", false: "false"}[t]
	case json.Delim:
		if depth >= MaxDepth {
			return nil, beyond(line, column, "this is nested deeper than %d levels", MaxDepth)
		}
		if v.Kind = List; t == '{' {
			v.Kind = Map
		}
		seen := map[string]bool{}
		for r.dec.More() {
			if v.Kind == Map {
				k, line, column, err := r.token()
				if err != nil {
					return nil, err
				}
				key, _ := k.(string) // the decoder takes nothing else for a key
				if seen[key] {
					return nil, failAt(line, column, "%q stands here twice", key)
				}
				seen[key] = true
				v.Keys = append(v.Keys, key)
			}
			kid, err := r.value(depth + 1)
			if err != nil {
				return nil, err
			}
			v.Kids = append(v.Kids, kid)
		}
		if _, _, _, err := r.token(); err != nil { // the end
			return nil, err
		}
	}
	return v, nil
}

// utf8Error is the first byte of a text that is not UTF-8.
func utf8Error(text []byte) error {
	if utf8.Valid(text) {
		return nil
	}
	line, start := 1, 0
	for i := 0; i < len(text); {
		c, n := utf8.DecodeRune(text[i:])
		if c == utf8.RuneError && n <= 1 {
			return failAt(line, utf8.RuneCount(text[start:i])+1, "this is not UTF-8")
		}
		if i += n; c == '\n' {
			line, start = line+1, i
		}
	}
	return nil
}
