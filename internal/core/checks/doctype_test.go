package checks

import "testing"

// TestQuirky: the doctypes that put browsers into quirks mode, and those that do not
// (HTML, 13.2.6.4.1).
func TestQuirky(t *testing.T) {
	for doctype, want := range map[string]bool{
		"<!doctype html>": false, "<!DOCTYPE HTML>": false, "<!doctypehtml>": false, `<!DOCTYPE html SYSTEM "about:legacy-compat">`: false,
		`<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Strict//EN" "http://www.w3.org/TR/xhtml1/DTD/xhtml1-strict.dtd">`:             false,
		`<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Transitional//EN" "http://www.w3.org/TR/xhtml1/DTD/xhtml1-transitional.dtd">`: false,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01 Transitional//EN" "http://www.w3.org/TR/html4/loose.dtd">`:                    false,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01 Transitional//EN">`:                                                           true,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01//EN" "http://www.w3.org/TR/html4/strict.dtd">`:                                false,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 3.2 Final//EN">`:                                                                   true,
		`<!DOCTYPE HTML PUBLIC '-//W3C//DTD HTML 4.0 Transitional//EN'>`:                                                            true,
		`<!DOCTYPE HTML PUBLIC "-//IETF//DTD HTML 2.0//EN">`:                                                                        true,
		"<!doctype svg>": true, "<!doctype>": true,
	} {
		if quirky([]byte(doctype)) != want {
			t.Errorf("%s: quirks %v", doctype, !want)
		}
	}
}

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
