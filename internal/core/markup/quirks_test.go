package markup

import "testing"

// TestQuirks: the doctypes that put browsers into quirks mode, and those that do not
// (HTML, 13.2.6.4.1).
func TestQuirks(t *testing.T) {
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
		`<!doctype HTML public "-//W3O//DTD W3 HTML 2.0//EN">`:                                                                      false, // not on the list, and Chromium agrees
		`<!doctype HTML public "-//W3O//DTD W3 HTML 3.0//EN">`:                                                                      true,
		"<!doctype svg>": true, "<!doctype>": true,
	} {
		if Quirks([]byte(doctype)) != want {
			t.Errorf("%s: quirks %v", doctype, !want)
		}
	}
}
