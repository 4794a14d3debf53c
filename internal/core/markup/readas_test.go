package markup

import "testing"

// TestReadAs: the encoding that the transport names counts more than a meta and less than a byte
// order mark (HTML, 13.2.3.2); one that there is not is passed over.
func TestReadAs(t *testing.T) {
	for _, c := range []struct{ file, charset, encoding, text string }{
		{"caf\xe9", "windows-1252", "windows-1252", "café"},
		{"caf\xe9", "ISO-8859-1", "windows-1252", "café"},
		{"caf\xe9", "", "windows-1252", "café"}, // no UTF-8: guessed
		{"caf\xc3\xa9", "utf-8", "utf-8", "café"},
		{"caf\xc3\xa9", "windows-1252", "windows-1252", "cafÃ©"},
		{"<meta charset=euc-kr>caf\xe9", "windows-1252", "windows-1252", "<meta charset=euc-kr>café"},
		{"<meta charset=windows-1252>caf\xc3\xa9", "utf-8", "utf-8", "<meta charset=windows-1252>café"},
		{"\xef\xbb\xbfcaf\xc3\xa9", "windows-1252", "utf-8", "\ufeffcafé"},
		{"<meta charset=windows-1252>caf\xe9", "no-such", "windows-1252", "<meta charset=windows-1252>café"},
		{"c\x00a\x00", "utf-16le", "utf-16le", "ca"}, {"\x00c\x00a", "utf-16be", "utf-16be", "ca"},
		{"<meta charset=utf-16>x", "", "utf-8", "<meta charset=utf-16>x"},
	} {
		src := ReadAs([]byte(c.file), c.charset)
		if text := src.Decode(string(src.Text)); src.Encoding != c.encoding || text != c.text {
			t.Errorf("%q as %q: %s, %q; want %s, %q", c.file, c.charset, src.Encoding, text, c.encoding, c.text)
		}
		if out, _, err := src.Apply([]Edit{{len(src.Text), len(src.Text), "ä"}}); err != nil ||
			ReadAs(out, c.charset).Encoding != c.encoding {
			t.Errorf("%q as %q, edited: %q, %v", c.file, c.charset, out, err)
		}
	}
}
