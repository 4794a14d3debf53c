package check

import "testing"

// TestCircle: a circle of redirects is followed to an end.
func TestCircle(t *testing.T) {
	round := NewAddresses([]Address{{Path: "/a", To: "/b"}, {Path: "/b", To: "/a"}})
	if _, steps := round.Redirects("/a"); steps != 20 {
		t.Errorf("a circle is followed %d times", steps)
	}
	if got := round.Told(); got != "/a /b\n/b /a\n" {
		t.Errorf("what leads on: %q", got)
	}
}

// TestUnasked: a file that a capture has not is missing where its server says so, after redirects and whatever its
// query; of any other nobody knows.
func TestUnasked(t *testing.T) {
	a := NewAddresses(
		[]Address{{Path: "/gone.js?v=1", Status: 404}, {Path: "/moved.js", Status: 301, To: "/lost.js"},
			{Path: "/lost.js", Why: "too large"}, {Path: "/there.js", Status: 200}})
	for path, want := range map[string]bool{"/gone.js": false, "/moved.js": false, "/lost.js": false,
		"/there.js": true, "/never.js": true} {
		if got := a.Unasked(path); got != want {
			t.Errorf("%s: %v", path, got)
		}
	}
	if (*Addresses)(nil).Unasked("/gone.js") {
		t.Error("of a folder the folder says what there is")
	}
}
