package result

import "strings"

// A PageTable has a row for each page, with a value for each key: of metadata, in or out of an item, of a parameter.
type PageTable struct {
	Keys []string  `json:"keys"`
	Rows []PageRow `json:"rows"`
}

// A PageRow is a page with its values.
type PageRow struct {
	Page   string   `json:"page"`
	Values []string `json:"values"` // one for each key; "" for none
}

// Cells are the cells of the table, its header row first, each as cell makes it.
func (t *PageTable) Cells(cell func(string) string) [][]string {
	rows := [][]string{append([]string{"path"}, t.Keys...)}
	for _, r := range t.Rows {
		row := []string{cell(r.Page)}
		for _, v := range r.Values {
			row = append(row, cell(v))
		}
		rows = append(rows, row)
	}
	return rows
}

// A TableChange says what a table changes that somebody edited.
type TableChange struct {
	Cells []CellChange `json:"cells"`
	Facts string       `json:"facts"` // the file that has the values, "" where none is needed
	GateChange
}

// A CellChange is a value that differs from what a page has.
type CellChange struct {
	Page string `json:"page"`
	Key  string `json:"key"`
	Was  string `json:"was"`
	Is   string `json:"is"`
}

// TableCell is a value as a cell of CSV: one that a spreadsheet would take for a formula gets an apostrophe in front.
func TableCell(s string) string {
	if formula(s) {
		return "'" + s
	}
	return s
}

// OfCell is the value of a cell of CSV.
func OfCell(cell string) string {
	if rest, ok := strings.CutPrefix(cell, "'"); ok && formula(rest) {
		return rest
	}
	return cell
}

func formula(s string) bool {
	first := strings.TrimLeft(s, " \u00a0\uFEFF'")
	return first != "" && strings.ContainsRune("=+-@|%＝＋－＠", []rune(first)[0])
}
