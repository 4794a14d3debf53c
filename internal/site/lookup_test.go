package site

import (
	"testing"

	"yellowgate/internal/core/page"
)

// TestIndex: a file is there under its path, decoded, and without index.html; a page by its path, with a
// slash or without; files behind those in order are found, too.
func TestIndex(t *testing.T) {
	var files []File
	for _, p := range []string{"a b.txt", "about.html", "b/index.html", "c%20d.txt", "c/index.htm", "plain", "x.css",
		"blank/index.html", "a.css"} {
		files = append(files, File{Path: p, Size: int64(len(p)), Page: IsPage(p)})
	}
	pages, err := Pages(files, page.Spelling{Extensionless: true})
	if err != nil {
		t.Fatal(err)
	}
	hasFile, hasPage := Index(files, pages)
	for path, want := range map[string][2]bool{ // a file, a page
		"/a b.txt": {true, false}, "/a%20b.txt": {true, false}, "/c%20d.txt": {true, false}, "/c d.txt": {true, false},
		"/b/": {true, true}, "/b": {true, true}, "/b/index.html": {true, true}, "/c/": {true, true}, "/c/index.htm": {true, true},
		"/c/index.html": {true, true}, "/about": {true, true}, "/about/": {true, true}, "/about.html": {true, false},
		"/plain": {true, false}, "/plain/": {false, false}, "/x.css": {true, false}, "/x.css?v=2": {true,
			false}, "x.css": {true, false},
		"/a.css": {true, false}, "/blank/": {true, true}, "/zz": {false, false}, "/x": {false, false}, "/": {false,
			false}, "": {false, false},
	} {
		if got := [2]bool{hasFile(path), hasPage(path)}; got != want {
			t.Errorf("%q: a file, a page %v, want %v", path, got, want)
		}
	}
	hasFile, hasPage = Index(nil, []page.Page{{Path: "/"}})
	if !hasFile("/") || !hasPage("") || hasFile("/x") {
		t.Error("a site of one page is not found")
	}
}
