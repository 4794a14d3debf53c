package markup

import (
	"strings"
	"testing"
)

// TestAnnotationXML: an annotation-xml whose encoding is HTML is an HTML integration point
// (HTML, 13.2.6, "HTML integration point"): what stands in it is read as HTML, and end tags
// and elements of HTML do not end the math around it.
func TestAnnotationXML(t *testing.T) {
	for _, encoding := range []string{`encoding="text/html"`, `encoding='TEXT/html'`,
		"encoding=application/xhtml+xml", `ENCODING="text/html"`, `encoding="text&#47;html"`,
		`id=x encoding="text/html"`, `encoding="text/html" encoding="x"`, `encoding="x" encoding="text/html"`,
		`encoding="text/plain"`, `encoding=" text/html"`, "", "encoding", `encoding=""`} {
		for _, inside := range []string{"<p>x<link rel=a>", "<div><style>a</style></div><link>",
			"<script>a<b</script><link>", "<title>a<b></title><meta>", "<svg><title><b>x</b></title></svg><link>",
			"<table><tr><td><link></table>", "<ul><li>x<li>y</ul><meta>", "<mi>x</mi><link>", "<![CDATA[<p>]]><link>",
			"</p><link>", "</br><meta>", "<br><textarea><link></textarea>", "<iframe><link></iframe>",
			"<font color=red>x</font><link>", "<noscript><link></noscript>", "<xmp><link></xmp><meta>",
			"text<!-- c --><base>"} {
			for _, end := range []string{"</annotation-xml></math><link>", "</math><meta>",
				"<mi>y</mi></annotation-xml><mo><link></mo></math>", "</ANNOTATION-XML></math><p><link>", ""} {
				src := "<!doctype html><title>t</title><body><math><semantics><annotation-xml " + encoding + ">" + inside + end + "<p><script></script>"
				if strings.Contains(inside, "table") && !strings.HasPrefix(end, "</annotation-xml>") {
					continue // what is moved out of tables is the tree's
				}
				if err := agreeWithTree([]byte(src)); err != nil {
					t.Errorf("%s: %v", src, err)
				}
			}
		}
	}
}
