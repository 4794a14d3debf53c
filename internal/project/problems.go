package project

import (
	"bytes"
	"strings"
	"sync"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

// GroupProblems folds the problems of pages into one for each cause, with the
// pages named, in the order of the gate file.
func GroupProblems(g *gatefile.Gate, all []pageedit.Problem) (out []problem.Problem) {
	at := map[string]int{}
	var pages [][]string
	for _, p := range all {
		key := p.Pos.String() + "\x00" + p.Message
		if p.Pos.File == p.File { // it stands in a page: the same in another is the same cause
			key = p.Message
		}
		if p.Accepted {
			key += "\x00"
		}
		i, ok := at[key]
		if !ok {
			i = len(out)
			at[key] = i
			if p.Line == "" {
				p.Line = LineOf(g.TextOf(p.Pos.File), p.Pos.Line)
			}
			out = append(out, p.Problem)
			pages = append(pages, nil)
		}
		if n := len(pages[i]); n == 0 || pages[i][n-1] != p.Page {
			pages[i] = append(pages[i], p.Page)
		}
	}
	for i := range out {
		out[i].Message += " (on " + pageedit.SomePages(pages[i]) + ")"
	}
	return out
}

// LineOf is the line of a text with the number n, from 1.
func LineOf(text []byte, n int) string {
	if n < 1 || len(text) == 0 {
		return ""
	}
	linesMu.Lock()
	defer linesMu.Unlock()
	if lines.of != &text[0] || lines.size != len(text) { // one text is asked for many lines
		lines.of, lines.size, lines.starts = &text[0], len(text), []int{0}
		for i, c := range text {
			if c == '\n' {
				lines.starts = append(lines.starts, i+1)
			}
		}
	}
	if n > len(lines.starts) {
		return ""
	}
	line, _, _ := bytes.Cut(text[lines.starts[n-1]:], []byte{'\n'})
	return strings.TrimSuffix(string(line), "\r")
}

// lines are where the lines begin of the text that was asked for last.
var (
	lines struct {
		of     *byte
		size   int
		starts []int
	}
	linesMu sync.Mutex
)
