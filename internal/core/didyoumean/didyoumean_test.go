package didyoumean

import "testing"

func TestBest(t *testing.T) {
	names := []string{"pages", "except", "place", "stylesheet", "script"}
	for name, want := range map[string]string{"excepts": "except", "pgaes": "pages", "scrpt": "script",
		"Place": "place", "style": "stylesheet", "zzz": "", "x": ""} {
		if got := Best(name, names); got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
}

// TestDistance: letters that are other, missing, too many, or swapped with their neighbour.
func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{
		{"", "", 0}, {"a", "", 1}, {"src", "src", 0}, {"src", "scr", 1}, {"src", "sr", 1}, {"src", "srcc",
			1}, {"src",
			"sxc", 1},
		{"stylesheet", "stylsheet", 1}, {"stylesheet", "sytlseheet", 2}, {"abc", "xyz", 3}, {"canonical",
			"cannonical", 1}, {"href", "herf", 1},
	} {
		if got := Distance(c.a, c.b); got != c.want {
			t.Errorf("%q and %q: %d, want %d", c.a, c.b, got, c.want)
		}
		if got := Distance(c.b, c.a); got != c.want {
			t.Errorf("%q and %q, turned round: %d, want %d", c.b, c.a, got, c.want)
		}
	}
}
