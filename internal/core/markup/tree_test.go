package markup

import (
	"bytes"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"
)

// pagesDir names a folder of foreign pages for the tests that hold the scanner
// and the editor against many of them.
var pagesDir = flag.String("pages", "", "also test on every .html file below this `folder`")

// agreeWithTree compares the scanner with the full tree of x/net/html, for every
// element of interest outside svg, math, template and noscript.
func agreeWithTree(src []byte) error {
	got := Scan(src, nil)
	var ours []string
	for _, e := range got.Elements {
		if e.Inside == InPage {
			ours = append(ours, fmt.Sprintf("%s@%d %s", e.Tag, e.Start, e.Area))
		}
	}
	theirs := fullTree(src)
	if a, b := strings.Join(ours, "\n"), strings.Join(theirs, "\n"); a != b {
		for i := range ours {
			if i >= len(theirs) || ours[i] != theirs[i] {
				other := "nothing"
				if i < len(theirs) {
					other = theirs[i]
				}
				return fmt.Errorf("the scanner has %s, the tree has %s", ours[i], other)
			}
		}
		return fmt.Errorf("the tree has %s, the scanner nothing", theirs[len(ours)])
	}
	return nil
}

// fullTree is the other reading: every start tag of interest is given its
// offset, whatever it stands in, and the library decides which are elements.
func fullTree(src []byte) []string {
	var starts, nameEnds []int
	for i := 0; i < len(src); i++ {
		if src[i] == '<' && i+1 < len(src) && isLetter(src[i+1]) {
			if tag, end := readName(src, i+1); tag.OfInterest() {
				starts, nameEnds = append(starts, i), append(nameEnds, end)
			}
		}
	}
	type found struct {
		at   int
		text string
	}
	var all []found
	seen := map[int]bool{}
	for n := range parseMarked(src, starts, nameEnds, mostTreeCost).doc.Descendants() {
		at, ok := offsetOf(n)
		if !ok || seen[at] || !ParseTag(n.Data).OfInterest() || n.Namespace != "" || insideOf(n) != InPage {
			continue
		}
		seen[at] = true
		area := Body
		for a := n.Parent; a != nil; a = a.Parent {
			if a.Data == "head" && a.Namespace == "" {
				area = Head
			}
		}
		all = append(all, found{at, fmt.Sprintf("%s@%d %s", n.Data, at, area)})
	}
	sort.Slice(all, func(i, j int) bool { return all[i].at < all[j].at })
	var out []string
	for _, f := range all {
		out = append(out, f.text)
	}
	return out
}

func foreignPages(t *testing.T, each func(name string, src []byte)) {
	if *pagesDir == "" {
		t.Skip("no folder of foreign pages given with -pages")
	}
	n := 0
	walkPages(t, *pagesDir, func(name string, src []byte) bool {
		n++
		each(name, src)
		return true
	})
	t.Logf("%d pages", n)
}

// walkPages reads the .html files below a folder until each returns false.
func walkPages(t testing.TB, dir string, each func(name string, src []byte) bool) {
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || !strings.Contains(filepath.Ext(path), ".htm") {
			return err
		}
		src, err := os.ReadFile(path)
		if err == nil && len(src) < 4<<20 && !each(path, src) {
			return filepath.SkipAll
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

func TestForeignPagesAgreeWithTree(t *testing.T) {
	elements, other := 0, 0
	foreignPages(t, func(name string, src []byte) {
		if bytes.HasPrefix(src, []byte("\xfe\xff")) || bytes.HasPrefix(src, []byte("\xff\xfe")) {
			other++
			return
		}
		elements += len(Scan(src, nil).Elements)
		if err := agreeWithTree(src); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	})
	t.Logf("%d elements compared; %d pages in UTF-16 left out", elements, other)
}
