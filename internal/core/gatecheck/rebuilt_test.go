package gatecheck

import "testing"

// TestRebuilt: items whose places lie in an element that a script rebuilds.
func TestRebuilt(t *testing.T) {
	for place, want := range map[string]string{
		"{first-in: '#app'}": "div#app", "{last-in: '#app'}": "div#app", "{last-in: main}": "div#app",
		"{after: h1}": "div#app", "{before: main}": "div#app", "{before: '#app'}": "", "{after: '#app'}": "",
		"{before: .last}": "", "head-end": "head", "head-start": "head", "body-end": "body", "body-start": "body",
	} {
		g := gateOf(t,
			"items:\n  x: {style-text: 'i{}', pages: all, place: "+place+
				"}\n  out: {style-text: 'b{}', pages: none, place: "+place+"}\n")
		r := pageOf(g, "/", "", "<div id=app><main><h1>a</h1></main></div><p class=last>b</p>")
		for _, root := range []string{"div#app", "head", "div#gone", "div#[odd", want} {
			if root == "" {
				continue
			}
			list := Rebuilt(r, []string{root})
			if is := len(list) == 1; is != (root == want) || len(list) > 1 || is && list[0].Pos.Line != 3 {
				t.Errorf("%s in %s: %s", place, root, told(list))
			}
		}
	}
}
