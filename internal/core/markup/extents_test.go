package markup

import (
	"fmt"
	"strings"
	"testing"
)

// TestExtentsAgree: the extents that are found in one pass are those of Extent, element by
// element, in all kinds of misnesting.
func TestExtentsAgree(t *testing.T) {
	pages := []string{
		"<div><p>a<p>b</div><p>c", "<div><span></div></span>", "<dialog><dialog></dialog>", "<ul><li>a<li>b<ul><li>c</ul></ul>", "<b><p></b></p>",
		"<table><tr><td>a<td>b<tr><td>c</table>", "<svg><g><p></g></svg><p>x", "<svg><title>a</title><a/></svg><br><img>", "<math><mi>x<b></mi></math>",
		"<script>a</script><style>b</style><textarea><b></textarea>", "<div><script>", "<p><div></p></div>", "</div><p>x</p></p>", "<dl><dt>a<dd>b</dl>", "<select><option>a<option>b</select>",
		"<a><b><c></a></b></c>", "<template><div></template></div>", "<p>a<svg><p>b</svg>", "<svg><![CDATA[<p>]]></svg>", "<div><div><div>", "<i><li></i></li>", "<li><i></li></i>",
		strings.Repeat("<dialog>", 30), strings.Repeat("<dialog>", 30) + strings.Repeat("</dialog>", 30), strings.Repeat("<div><b>", 20) + strings.Repeat("</div>", 20),
	}
	elements := 0
	for _, src := range pages {
		p := Scan([]byte(src), nil)
		all := p.extents()
		for i := range src {
			if src[i] != '<' || i+1 >= len(src) || !isLetter(src[i+1]) || strings.Contains(src, "CDATA") && src[i+1] == 'p' {
				continue
			}
			content, end, _, err := p.extent(i)
			x, ok := all[i]
			if !ok {
				continue // within a text
			}
			elements++
			if fmt.Sprint(content, end, err != nil) != fmt.Sprint(x.content, x.end, x.err != nil) {
				t.Errorf("%s at %d: %v %d %v, alone %v %d %v", src, i, x.content, x.end, x.err, content, end, err)
			}
		}
	}
	if elements < 150 {
		t.Errorf("only %d elements were looked at", elements)
	}
}
