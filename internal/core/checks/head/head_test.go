package head

import (
	"strings"
	"testing"
)

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

// TestTitleWidth: wide letters need more room than narrow ones.
func TestTitleWidth(t *testing.T) {
	if wide, narrow := widthOf(strings.Repeat("W", 60)), widthOf(strings.Repeat("i", 60)); wide < 1100 || wide > 1200 || narrow < 240 || narrow > 300 {
		t.Errorf("60 W are %d pixels, 60 i are %d", wide, narrow)
	}
}
