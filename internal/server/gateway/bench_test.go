package gateway

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/demo"
	"yellowgate/internal/server/reload"
)

// BenchmarkDemo measures what a page of 30 kB costs with the demo's gate file, beside one scan of it and a copy.
func BenchmarkDemo(b *testing.B) {
	dir := b.TempDir()
	if _, err := demo.Write(dir); err != nil {
		b.Fatal(err)
	}
	gate := reload.Open(reload.Options{Gate: filepath.Join(dir, "yellowgate.yaml")})
	if err := gate.Now().Err; err != nil {
		b.Fatal(err)
	}
	text, err := os.ReadFile(filepath.Join(dir, "site/visit/index.html"))
	if err != nil {
		b.Fatal(err)
	}
	more := strings.Repeat("<p class=a><a href=\"/visit/\">stars and owls</a> and <b>more</b></p>\n", 400)
	text = bytes.Replace(text, []byte("</main>"), []byte(more+"</main>"), 1)
	g := New(Options{Gate: gate, Largest: 8 << 20})
	a := &exchange{state: gate.Now(), in: httptest.NewRequest("GET", "/visit/", nil)}
	resp := &http.Response{StatusCode: 200, Header: http.Header{"Content-Type": {"text/html; charset=utf-8"}}}
	of := g.known(a, resp)
	pg := of.page()
	to := make([]byte, len(text))
	for name, do := range map[string]func(){
		"copy":  func() { copy(to, text) },
		"scan":  func() { markup.Scan(text, nil) },
		"look":  func() { gate.Now().Project.Gate.Look(text, pg) },
		"gate":  func() { gate.Now().Project.Gate.Page(text, pg) },
		"begin": func() { gate.Now().Project.Gate.Begin(text[:len(text)/2], pg) },
		"page": func() {
			if _, why, detail := g.gatePage(of, text); why != "" {
				b.Fatal(why, detail)
			}
		},
	} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			b.ReportAllocs()
			for b.Loop() {
				do()
			}
		})
	}
}
