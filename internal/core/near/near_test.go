package near

import "testing"

func TestBest(t *testing.T) {
	names := []string{"pages", "except", "place", "stylesheet", "script"}
	for name, want := range map[string]string{"excepts": "except", "pgaes": "pages", "scrpt": "script", "Place": "place", "style": "stylesheet", "zzz": "", "x": ""} {
		if got := Best(name, names); got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
}
