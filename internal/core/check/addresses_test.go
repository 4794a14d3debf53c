package check

import "testing"

// TestCircle: a circle of redirects is followed to an end.
func TestCircle(t *testing.T) {
	round := NewAddresses([]Address{{Path: "/a", To: "/b"}, {Path: "/b", To: "/a"}})
	if _, steps := round.Redirects("/a"); steps != 20 {
		t.Errorf("a circle is followed %d times", steps)
	}
	if got := round.Redirected(); got != "/a /b\n/b /a\n" {
		t.Errorf("what leads on: %q", got)
	}
}
