// Package wording writes numbers, sizes and lists in messages, the same everywhere.
package wording

import (
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Count writes "1 page", "2 pages".
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return Number(n) + " " + what + "s"
}

// Number writes a number, thousands apart: "2,685".
func Number(n int) string {
	if n < 1000 {
		return strconv.Itoa(n)
	}
	return message.NewPrinter(language.English).Sprint(n)
}

// Agree is the form of a verb that goes with so many: one for 1, else many.
func Agree(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// List names up to most things and counts the rest.
func List(names []string, most int) string {
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %s more", strings.Join(names[:most], ", "), Number(len(names)-most))
}

// Both names all things in a sentence: "a", "a and b", "a, b and c".
func Both(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " and " + names[last]
}

// Bytes writes a number of bytes in a sentence; 1 kB is 1,000 bytes.
func Bytes(n int) string {
	if n < 1000 {
		return fmt.Sprintf("%d bytes", n)
	}
	return fmt.Sprintf("%.1f kB", float64(n)/1000)
}

// Size writes a number of bytes in a table; a dash for none.
func Size(n int64) string {
	switch {
	case n <= 0:
		return "–"
	case n < 1000:
		return fmt.Sprintf("%d B", n)
	case n < 1000*1000:
		return fmt.Sprintf("%.1f kB", float64(n)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// Cut is a text on one line, of which no more than n letters are kept.
func Cut(s string, n int) string {
	r := []rune(strings.Join(strings.Fields(s), " "))
	if len(r) > n {
		return string(r[:n]) + "…"
	}
	return string(r)
}
