package sheet

import (
	"bytes"
	"errors"
	"reflect"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// TestRead: tables as spreadsheet programs save them.
func TestRead(t *testing.T) {
	want := &Table{
		Header: []string{"path", "title"},
		Rows:   [][]string{{"/a/", "Nuit d’é, \"x\""}, {"/b/", "two\nlines; 1\t2"}, {"/c/", ""}},
	}
	text := func(sep, end string) string {
		q := strings.NewReplacer(",", sep, "~", ",", "\n", end)
		return q.Replace("path,title\n/a/,\"Nuit d’é~ \"\"x\"\"\"\n/b/,") + "\"two" + end + "lines; 1\t2\"" + end +
			end + "/c/" + sep + end
	}
	enc := func(s string, e interface{ String(string) (string, error) }) string {
		out, err := e.String(s)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	var xlsx bytes.Buffer
	if err := WriteXLSX(&xlsx, "Pages", append([][]string{want.Header}, want.Rows...)); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct{ data, label string }{
		"commas":               {text(",", "\n"), ""},
		"CSV UTF-8 of Windows": {"\uFEFF" + text(";", "\r\n"), ""},
		"tabs":                 {text("\t", "\r\n"), ""},
		"with sep=":            {"sep=;\r\n" + text(";", "\r\n"), ""},
		"Unicode text of Windows": {
			enc(text("\t", "\r\n"), unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder()), ""},
		"UTF-16, big-endian": {enc(text(",", "\n"), unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder()), ""},
		"UTF-16 without a mark": {
			enc(text(",", "\n"), unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder()), "utf-16le"},
		"windows-1252": {enc(text(";", "\r\n"), charmap.Windows1252.NewEncoder()), "windows-1252"},
		"macintosh":    {enc(text(";", "\n"), charmap.Macintosh.NewEncoder()), "macintosh"},
		"xlsx":         {xlsx.String(), ""},
	} {
		got, err := Read([]byte(c.data), c.label)
		if err != nil || !reflect.DeepEqual(got.Header, want.Header) || !reflect.DeepEqual(got.Rows, want.Rows) {
			t.Errorf("%s: %v %+v", name, err, got)
		}
	}
	if got, err := Read([]byte("path,title\r/a/,x\r"), ""); err != nil || len(got.Rows) != 1 || got.Rows[0][1] != "x" {
		t.Errorf("line ends of old Macs: %v %v", got, err)
	}
	for name, c := range map[string]struct {
		data, label, want string
		line, column      int
	}{
		"empty":       {" \n", "", "is empty", 1, 0},
		"latin":       {"path;title\n/a/;d\xe9\n", "", "the byte 0xE9 is not valid", 2, 6},
		"utf-16":      {"p\x00a\x00", "", "UTF-16 without a byte order mark", 1, 2},
		"label":       {"path\n", "latin-17", "no encoding is called", 0, 0},
		"xls":         {"\xD0\xCF\x11\xE0rest", "", "old kind (xls)", 0, 0},
		"ods":         {"PK\x03\x04........mimetypeapplication/vnd.oasis.opendocument.spreadsheet", "", "OpenDocument", 0, 0},
		"zip":         {"PK\x03\x04........", "", "the workbook cannot be read", 0, 0},
		"quotes":      {"path,title\n/a/,\"x\" y\n", "", "extraneous or missing", 2, 7},
		"sep, quotes": {"sep=,\npath,title\n/a/,\"x\" y\n", "", "extraneous or missing", 3, 7},
		"too long":    {"path,title\n/a/,x,y\n", "", "the row has 3 values, the header 2", 2, 1},
		"garbled":     {"ï»¿path,title\n", "", "took UTF-8 for windows-1252", 1, 1},
	} {
		_, err := Read([]byte(c.data), c.label)
		var bad *Error
		if !errors.As(err, &bad) || !strings.Contains(bad.Message, c.want) || bad.Line != c.line ||
			bad.Column != c.column {
			t.Errorf("%s: %+v, want %d:%d %s", name, err, c.line, c.column, c.want)
		}
	}
	if err := WriteXLSX(&xlsx, "Pages", [][]string{{"a"}, {strings.Repeat("x", 40000)}}); err == nil {
		t.Error("a value that no cell holds is written")
	}
	if !Garbled("dÃ©jÃ\u00a0", "déjà") || Garbled("déjà", "déjà") || Garbled("deja", "déjà") {
		t.Error("Garbled is wrong")
	}
}
