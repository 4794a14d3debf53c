package gatecheck

import (
	"io/fs"
	"testing"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

// TestWaits: what the head of a page waits for is noted at the line that asks for it.
func TestWaits(t *testing.T) {
	f, _ := gatefile.Parse("g.yaml",
		[]byte("yellowgate: 1\nitems:\n  x: {script: /x.js, pages: has(form) and /a/}\n"), nil)
	f.ReadFiles(gatefile.Sources{Read: func(string) ([]byte, error) { return nil, fs.ErrNotExist }})
	g, _ := pageedit.New(f, "2026-11-23")
	origin := problem.Position{File: "g.yaml", Line: 9, Column: 1}
	for _, c := range []struct {
		path, text, message string
		line                int
	}{
		{"/a/", "<!doctype html><head><meta charset=utf-8></head><body><form></form>",
			"behind the gateway, the head waits for has(form)", 3},
		{"/b/", "<!doctype html><head><meta charset=utf-8></head><body><form></form>", "", 0},
		{"/b/", "<!doctype html><head></head><body>",
			"behind the gateway, the head waits for its end, since it does not say its encoding", 9},
		{"/b/", "<p>a piece</p>", "", 0},
	} {
		ps := Waits(g.Page([]byte(c.text), page.Page{Path: c.path}), origin)
		switch {
		case c.message == "" && len(ps) == 0:
		case len(ps) != 1 || ps[0].Message != c.message || ps[0].Pos.Line != c.line || ps[0].Name != problem.WaitsForBody:
			t.Errorf("%s %s: %v", c.path, c.text, ps)
		}
	}
}
