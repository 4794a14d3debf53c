package markup

import (
	"bytes"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// seeds adds the pages of testdata and a list of nasty pieces.
func seeds(f *testing.F) {
	names, _ := filepath.Glob("testdata/*.html")
	for _, name := range names {
		b, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	for _, s := range []string{
		"", "<", "</", "<!", "<?", "<!--", "<!-->", "<!--->x", "<!--a--!>b", "<a", `<a b="`, "<p>hi",
		"<!doctype html><title>x</title><p>y", "<head></head><meta><body>", "<head><div></head><body><meta>",
		"<script><!--<script></script>--></script><link>", "<script><!--<script></script></script><link>",
		"<style></styl></style ><meta>", "<textarea><link></textarea><link>", "<title><meta></title><meta>",
		"<svg><title><link></title><style><meta></style></svg><link>", "<svg><p><link>", "<svg><![CDATA[<p>]]></svg><meta>",
		"<math><mi><link></mi></math><meta>", "<svg><foreignObject><div><link></div></foreignObject></svg><meta>",
		"<div><svg></div><link>", "<template><link></template><meta>", "<noscript><link></noscript><meta>",
		"<frameset><frame></frameset><link>", "<p><frameset><link>", "<br><frameset><link>", "<svg><desc></body><link></desc></svg><meta>", "<svg><desc></body></svg><link>", "<math><mi></html><link></mi></math><meta>", "<div><script>'<li>x'</script><frameset><link></frameset>", "<div><style><br></style>x<frameset><link>", "<html><meta></html><link>",
		"<head>&#32;<meta>", "<head>&nbsp;<meta>", "<head>\x00<meta>", "<plaintext><link>", "</body><link></html><meta>",
		"<a b=c/d><link e=\"f>g\"h>", "<a =\">\"><link>", "<iframe><link></iframe><meta>", "<xmp><link></xmp><meta>",
	} {
		f.Add([]byte(s))
	}
}

// departs says whether the full tree of x/net/html is no measure for an input:
// with svg, math or tables in a template the library gives up, as its comments
// say. TestStandardWins compares the scanner with the standard there.
func departs(src []byte) bool {
	low := bytes.ToLower(src)
	return bytes.Contains(low, []byte("<template")) && foreignOrTable.Match(low) || escapedLess.Match(low)
}

// escapedLess is a "<" in an escaped script that is no tag's: the library takes the script
// for plain from there on, the standard (13.2.5.20) and Chromium do not.
var escapedLess = regexp.MustCompile(`(?s)<script.*<!--.*<[^/a-z]`)

var foreignOrTable = regexp.MustCompile(`<(svg|math|col|caption|t[dhr]|tbody|thead|tfoot|table)`)

func FuzzScanAgreesWithTree(f *testing.F) {
	seeds(f)
	for _, deep := range []string{"<div>", "<b>", "<p><i>", "<ul><li>", "<div><p>", "<span>"} { // deeper than a tree is built
		f.Add(
			[]byte(
				"<head><title>t</title></head><body>" + strings.Repeat(deep, 600) +
					"<script src=a></script><link rel=x>"))
	}
	f.Fuzz(func(t *testing.T, src []byte) {
		p := Scan(src, nil) // anything may be scanned
		for i, e := range p.Elements {
			if e.Start < 0 || e.TagEnd <= e.Start || e.TagEnd > len(src) || e.End > len(src) || e.End != 0 && e.End < e.TagEnd ||
				i > 0 && p.Elements[i-1].Start >= e.Start {
				t.Fatalf("element %d of %q has bad offsets: %+v", i, src, e)
			}
		}
		if p.HeadBegin > p.HeadStop && !p.Frameset || p.BodyBegin > p.BodyStop || p.HeadStop > len(src) ||
			p.BodyStop > len(src) {
			t.Fatalf("bounds of %q: head %d to %d, body %d to %d", src, p.HeadBegin, p.HeadStop, p.BodyBegin, p.BodyStop)
		}
		if departs(src) || len(src) > 4096 {
			return
		}
		if err := agreeWithTree(src); err != nil {
			t.Fatalf("%q: %v", src, err)
		}
	})
}
