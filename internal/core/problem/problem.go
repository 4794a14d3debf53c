// Package problem has what is said of something that is wrong: how bad it is, where it is, and
// what to do about it.
package problem

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// A Position is a place in a gate file or in a file that it names.
type Position struct {
	File   string // as the user would write it
	Line   int    // from 1
	Column int    // from 1, in characters
}

func (p Position) String() string {
	if p.Column == 0 {
		return fmt.Sprintf("%s:%d", p.File, p.Line)
	}
	return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
}

// Severity says how bad something is: a greater one is worse.
type Severity uint8

const (
	Note    Severity = iota // worth knowing
	Warning                 // costs visitors something, or does nothing that it should
	Error                   // is wrong
)

var severities = [...]string{"note", "warning", "error"}

// Severities are the words for severities, the least one first.
func Severities() []string { return slices.Clone(severities[:]) }

func (s Severity) String() string { return severities[s] }

// ParseSeverity reads a severity as String writes it.
func ParseSeverity(word string) (s Severity, ok bool) {
	i := slices.Index(severities[:], word)
	return Severity(max(i, 0)), i >= 0
}

// MarshalText and UnmarshalText write and read a severity as a word.
func (s Severity) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

func (s *Severity) UnmarshalText(text []byte) error {
	of, ok := ParseSeverity(string(text))
	if !ok {
		return fmt.Errorf("%q is not a severity", text)
	}
	*s = of
	return nil
}

// A Problem is one thing that is wrong with a gate file, or worth knowing.
type Problem struct {
	Severity Severity
	Name     string // as in names.go, or of a check of the audit; none for what cannot be accepted
	Item     string // the item it is about, if it is about one
	Pos      Position
	Message  string
	Remedy   string // what to do about it; may be empty
	Line     string // the line of the file, if it has one
	Accepted bool   // the owner lives with it
}

func (p Problem) Error() string { return p.Pos.String() + ": " + p.Message }

// Brief is a message that somebody can read, whatever texts of files it quotes: a thousand bytes at most.
func Brief(message string) string {
	const head, tail = 700, 200
	if len(message) <= head+tail+100 {
		return message
	}
	return strings.ToValidUTF8(message[:head], "") + " … " + strings.ToValidUTF8(message[len(message)-tail:], "")
}

// Worst returns the highest severity among problems, and whether there is any.
func Worst(ps []Problem) (worst Severity, any bool) {
	for _, p := range ps {
		worst, any = max(worst, p.Severity), true
	}
	return worst, any
}

// Sort puts problems in the order of the files, and of their lines.
func Sort(ps []Problem) {
	slices.SortStableFunc(ps, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.Pos.File, b.Pos.File), a.Pos.Line-b.Pos.Line, a.Pos.Column-b.Pos.Column)
	})
}
