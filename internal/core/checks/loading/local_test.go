package loading

import "testing"

// TestLocal: addresses that are there for one machine or network alone.
func TestLocal(t *testing.T) {
	for url, want := range map[string]bool{
		"http://localhost/a.js": true, "https://LOCALHOST:3000/": true, "http://127.0.0.1/": true, "http://[::1]/": true, "http://192.168.1.7/a": true, "http://10.0.0.1/": true, "http://169.254.1.1/": true,
		"file:///a.js": true, `C:\site\a.js`: true, "c:/site/a.js": true, "http://dev.localhost/": true, "http://0.0.0.0:80/": true,
		"/a.js": false, "https://localhost.example/": false, "https://8.8.8.8/": false, "a.js": false, "data:x": false, "https://[2001:db8::1]/": false, "mailto:a@localhost": false,
	} {
		if (local(url) != "") != want {
			t.Errorf("%s: %q", url, local(url))
		}
	}
}
