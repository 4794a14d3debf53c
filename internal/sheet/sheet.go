// Package sheet reads tables as spreadsheet programs write them, and writes them: CSV in the separators and encodings
// that are common, and xlsx.
package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
)

// A Table is a header row and the rows below it, each as long as the header.
type Table struct {
	Header []string
	Rows   [][]string
	Lines  []int // of the rows in the file, from 1
}

// An Error says what in a table cannot be read, and where.
type Error struct {
	Line, Column    int // from 1; 0 where there is none
	Message, Remedy string
}

func (e *Error) Error() string { return e.Message }

const saveAs = "save it as CSV UTF-8 (with commas or semicolons), or as xlsx"

// Read reads a table. label is the encoding that somebody gave, "" for none: then a byte order mark says it, and else
// it has to be UTF-8. Its error is an *Error.
func Read(data []byte, label string) (*Table, error) {
	switch {
	case len(bytes.TrimSpace(data)) == 0:
		return nil, &Error{Line: 1, Message: "the table is empty"}
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) && bytes.Contains(data[:min(len(data), 200)], []byte("opendocument")):
		return nil, &Error{Message: "the table is an OpenDocument file", Remedy: saveAs}
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return readXLSX(data)
	case bytes.HasPrefix(data, []byte{0xD0, 0xCF, 0x11, 0xE0}):
		return nil, &Error{Message: "the table is a workbook of the old kind (xls), or has a password", Remedy: saveAs}
	}
	text, err := decode(data, label)
	if err != nil {
		return nil, err
	}
	return readCSV(text)
}

// decode makes text of the bytes of a CSV file.
func decode(data []byte, label string) (string, error) {
	utf16 := func(e unicode.Endianness) encoding.Encoding { return unicode.UTF16(e, unicode.UseBOM) }
	var enc encoding.Encoding
	switch {
	case bytes.HasPrefix(data, []byte("\xEF\xBB\xBF")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xFF\xFE")):
		enc = utf16(unicode.LittleEndian)
	case bytes.HasPrefix(data, []byte("\xFE\xFF")):
		enc = utf16(unicode.BigEndian)
	case label != "":
		var err error
		if enc, err = htmlindex.Get(label); err != nil {
			return "", &Error{
				Message: fmt.Sprintf("no encoding is called %q", label),
				Remedy:  "the names are those of the Encoding Standard: utf-8, windows-1252, iso-8859-2, macintosh, …",
			}
		}
	}
	if enc != nil {
		out, err := enc.NewDecoder().Bytes(data)
		if err != nil {
			return "", &Error{Message: "the table cannot be decoded: " + err.Error(), Remedy: saveAs}
		}
		data = out
	}
	for at := 0; at < len(data); {
		r, n := utf8.DecodeRune(data[at:])
		if r == utf8.RuneError && n == 1 || r == 0 {
			what := fmt.Sprintf("the table is not UTF-8: the byte 0x%02X is not valid in it", data[at])
			remedy := "give its encoding, such as --encoding windows-1252 (spreadsheets on Windows) or macintosh, or " + saveAs
			if r == 0 {
				what, remedy = "the table seems to be UTF-16 without a byte order mark", "give --encoding utf-16le, or "+saveAs
			}
			from := bytes.LastIndexByte(data[:at], '\n') + 1
			return "", &Error{
				Line: 1 + bytes.Count(data[:at], []byte("\n")), Column: 1 + utf8.RuneCount(data[from:at]),
				Message: what, Remedy: remedy,
			}
		}
		at += n
	}
	return strings.TrimPrefix(string(data), "\uFEFF"), nil
}

// Garbled reports whether a text is what a program makes of another that takes its UTF-8 for windows-1252: "Ã©"
// for "é".
func Garbled(text, of string) bool {
	if text == of || len(text) <= len(of) {
		return false
	}
	b, err := charmap.Windows1252.NewEncoder().String(text)
	return err == nil && b == of
}

// readCSV reads values with commas, semicolons or tabs between them.
func readCSV(text string) (*Table, error) {
	if !strings.Contains(text, "\n") { // line ends of old Macs
		text = strings.ReplaceAll(text, "\r", "\n")
	}
	first, rest, _ := strings.Cut(text, "\n")
	skipped := 0
	var comma rune
	if sep, ok := strings.CutPrefix(strings.TrimSpace(first), "sep="); ok && len(sep) == 1 { // as some programs begin
		comma, text, skipped = rune(sep[0]), rest, 1
		first, _, _ = strings.Cut(rest, "\n")
	}
	if comma == 0 {
		comma = separator(first)
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord = comma, -1
	t := &Table{}
	for {
		row, err := r.Read()
		var bad *csv.ParseError
		switch {
		case err == io.EOF:
			return t, t.check()
		case errors.As(err, &bad):
			return nil, &Error{
				Line: bad.Line + skipped, Column: bad.Column, Message: bad.Err.Error(),
				Remedy: "put values with quotes in quotes, each of their own doubled, or " + saveAs,
			}
		case err != nil:
			return nil, &Error{Message: err.Error()}
		}
		line, _ := r.FieldPos(0)
		t.add(row, line+skipped)
	}
}

// separator is what stands between the values of a header row: most often, outside quotes.
func separator(header string) rune {
	best, most := ',', 0
	for _, c := range []rune{',', ';', '\t'} {
		n, quoted := 0, false
		for _, r := range header {
			if r == '"' {
				quoted = !quoted
			} else if r == c && !quoted {
				n++
			}
		}
		if n > most {
			best, most = c, n
		}
	}
	return best
}

// add adds a row; rows without any value are none.
func (t *Table) add(row []string, line int) {
	empty := true
	for i := range row {
		row[i] = strings.TrimSpace(strings.ReplaceAll(row[i], "\r\n", "\n"))
		empty = empty && row[i] == ""
	}
	switch {
	case empty:
	case t.Header == nil:
		for len(row) > 0 && row[len(row)-1] == "" {
			row = row[:len(row)-1]
		}
		t.Header = row
	default:
		t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, line)
	}
}

// check makes every row as long as the header.
func (t *Table) check() error {
	if t.Header == nil {
		return &Error{Line: 1, Message: "the table has no header row"}
	}
	if len(t.Header) > 0 && strings.HasPrefix(t.Header[0], "ï»¿") {
		return &Error{
			Line: 1, Column: 1, Message: "the program that saved this table had read it in a wrong encoding: it " +
				"took UTF-8 for windows-1252",
			Remedy: "open the table as UTF-8 there, or begin with xlsx: yellowgate where … --format xlsx",
		}
	}
	for i, row := range t.Rows {
		for len(row) > len(t.Header) && row[len(row)-1] == "" {
			row = row[:len(row)-1]
		}
		if len(row) > len(t.Header) {
			return &Error{
				Line: t.Lines[i], Column: 1, Message: fmt.Sprintf("the row has %d values, the header %d", len(row), len(t.Header)),
				Remedy: "put a value in quotes that has the separator in it",
			}
		}
		for len(row) < len(t.Header) {
			row = append(row, "")
		}
		t.Rows[i] = row
	}
	return nil
}

// mostUnpacked is how many bytes a workbook may come to once it is unpacked.
const mostUnpacked = 256 << 20

// readXLSX reads the first sheet of a workbook that has a column called path, else its first.
func readXLSX(data []byte) (*Table, error) {
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: mostUnpacked})
	if err != nil {
		return nil, &Error{Message: "the workbook cannot be read: " + err.Error(), Remedy: saveAs}
	}
	defer func() { _ = f.Close() }()
	var found *Table
	for _, name := range f.GetSheetList() {
		rows, err := f.GetRows(name)
		if err != nil {
			return nil, &Error{Message: "the workbook cannot be read: " + err.Error(), Remedy: saveAs}
		}
		t := &Table{}
		for i, row := range rows {
			t.add(row, i+1)
		}
		if err := t.check(); err != nil && t.Header != nil {
			return nil, err
		} else if err != nil {
			continue
		}
		if found == nil {
			found = t
		}
		for _, h := range t.Header {
			if h == "path" {
				return t, nil
			}
		}
	}
	if found == nil {
		return nil, &Error{Line: 1, Message: "the workbook has no table in it"}
	}
	return found, nil
}

// WriteXLSX writes rows as a workbook with one sheet; every cell is a text, and the first row stays in sight.
func WriteXLSX(w io.Writer, name string, rows [][]string) error {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }()
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	text, err := f.NewStyle(
		&excelize.Style{NumFmt: 49, Alignment: &excelize.Alignment{Vertical: "top", WrapText: true}})
	if err != nil {
		return err
	}
	head, err := f.NewStyle(&excelize.Style{NumFmt: 49, Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	s, err := f.NewStreamWriter(name)
	if err != nil {
		return err
	}
	if err := s.SetColWidth(1, 1, 32); err != nil {
		return err
	}
	if len(rows) > 0 && len(rows[0]) > 1 {
		if err := s.SetColWidth(2, len(rows[0]), 48); err != nil {
			return err
		}
	}
	if err := s.SetPanes(
		&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	for i, row := range rows {
		style := text
		if i == 0 {
			style = head
		}
		if err := writeRow(s, i+1, style, row); err != nil {
			return err
		}
	}
	if err := s.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}

// writeRow writes a row, from 1, in a style. A value that is too long for a cell is an error.
func writeRow(s *excelize.StreamWriter, line, style int, row []string) error {
	cells := make([]any, len(row))
	for i, value := range row {
		if utf8.RuneCountInString(value) > excelize.TotalCellChars {
			return &Error{
				Line: line, Column: i + 1, Remedy: "write it as CSV",
				Message: fmt.Sprintf("a value has more than the %d characters that a cell of xlsx holds",
					excelize.TotalCellChars),
			}
		}
		cells[i] = excelize.Cell{StyleID: style, Value: value}
	}
	at, err := excelize.CoordinatesToCellName(1, line)
	if err != nil {
		return err
	}
	return s.SetRow(at, cells)
}
