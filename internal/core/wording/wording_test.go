package wording

import "testing"

// TestWording: numbers, sizes and lists as messages have them.
func TestWording(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{Count(1234567, "page"), "1,234,567 pages"}, {Number(999), "999"}, {Count(0, "page"), "0 pages"}, {
			Count(1, "page"), "1 page"}, {Count(2, "page"), "2 pages"},
		{Agree(1, "is", "are"), "is"}, {Agree(0, "is", "are"), "are"}, {Agree(7, "is", "are"), "are"},
		{List(nil, 3), ""}, {List([]string{"a", "b", "c"}, 3), "a, b, c"}, {List([]string{"a", "b", "c", "d"}, 3),
			"a, b, c and 1 more"},
		{Bytes(0), "0 bytes"}, {Bytes(999), "999 bytes"}, {Bytes(1000), "1.0 kB"}, {Bytes(50_000), "50.0 kB"},
		{Size(0), "–"}, {Size(-1), "–"}, {Size(999), "999 B"}, {Size(1234), "1.2 kB"}, {Size(2_500_000), "2.5 MB"},
	} {
		if c.got != c.want {
			t.Errorf("%q, not %q", c.got, c.want)
		}
	}
}
