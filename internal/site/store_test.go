package site

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestOpenFolder: a folder of files says nothing of a transport; one that a capture made says what
// that kept, and a line that is none is an error with its place.
func TestOpenFolder(t *testing.T) {
	dir := t.TempDir()
	put := func(name, text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	put("a.html", "<title>A</title>")
	put("b.html", "<title>B</title>")
	f, err := OpenFolder(dir, true)
	if err != nil || f.Answer("a.html") != nil {
		t.Fatal(f, err)
	}
	put(CaptureName, `{"url":"https://ternhill.example/a.html","file":"a.html","status":200,"time":"2026-11-29T08:00:00Z","headers":{"content-type":["text/html; charset=windows-1252"]}}`+"\n\n"+
		`{"url":"https://ternhill.example/gone","status":404,"time":"2026-11-29T08:00:01Z"}`+"\n")
	if f, err = OpenFolder(dir, true); err != nil {
		t.Fatal(err)
	}
	if a := f.Answer("a.html"); a == nil || a.Status != 200 || a.Charset() != "windows-1252" ||
		f.Answer("b.html") != nil || f.Answer("") != nil {
		t.Errorf("%+v, %+v", f.Answer("a.html"), f.Answer("b.html"))
	}
	files, _, err := f.List(func(rel string, _ bool) bool { return Hidden(rel) })
	if err != nil || len(files) != 2 {
		t.Errorf("%v, %v", files, err)
	}
	pages := Told(PagesAnyway(files), f)
	if pages[0].Answer.Charset() != "windows-1252" || pages[1].Answer != nil {
		t.Errorf("%+v", pages)
	}
	if _, err := f.Read("../a.html"); err == nil {
		t.Error("a file outside the folder was read")
	}
	put(CaptureName, "{\"url\":\"x\",\"status\":200,\"time\":\"\"}\nno line\n")
	if _, err := OpenFolder(dir, true); err == nil ||
		!strings.Contains(err.Error(), CaptureName+":2: this is not a line of a capture") {
		t.Errorf("%v", err)
	}
	os.Remove(filepath.Join(dir, CaptureName))
	if err := os.Mkdir(filepath.Join(dir, CaptureName), 0o755); err != nil {
		t.Fatal(err)
	}
	if f, err := OpenFolder(dir, true); err != nil || f.Answer("a.html") != nil {
		t.Errorf("a folder of that name: %v", err)
	}
}
