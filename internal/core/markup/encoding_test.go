package markup

import (
	"slices"
	"strings"
	"testing"
)

func TestEncoding(t *testing.T) {
	far := strings.Repeat(" ", 1100)
	for _, c := range []struct{ file, want string }{
		{"<p>x", "utf-8"},
		{"<meta charset=ISO-8859-1>", "windows-1252"}, // the Encoding Standard's name for that label
		{"<META HTTP-EQUIV='Content-Type' CONTENT='text/html; CHARSET=Shift_JIS'>", "shift_jis"},
		{"<meta http-equiv=content-type content='text/html;charset=\"euc-kr\"'>", "euc-kr"},
		{"<!-- <meta charset=euc-kr> --><meta charset=koi8-r>", "koi8-r"},
		{"<meta charset=utf-16>", "utf-8"}, // read without being told otherwise, it is no UTF-16
		{"<meta charset=no-such>", "utf-8"},
		{far + "<meta charset=euc-kr>", "utf-8"},
		{"\xef\xbb\xbf<meta charset=euc-kr>", "utf-8"},
		{"\xff\xfe<\x00", "utf-16le"},
		{"\xfe\xff\x00<", "utf-16be"},
	} {
		if got := Read([]byte(c.file)).Encoding; got != c.want {
			t.Errorf("%.60q: %s, want %s", c.file, got, c.want)
		}
	}
}

func TestDecode(t *testing.T) {
	src := Read([]byte("<meta charset=windows-1252><title>\x93caf\xe9\x94</title>"))
	e := Scan(src.Text, nil).Elements[1]
	if got := src.String(e.TagEnd, e.ContentEnd); got != "“café”" {
		t.Errorf("the title is %q", got)
	}
	// In ISO-2022-JP the bytes of "<" may stand within a character.
	jp := Read([]byte("<meta charset=iso-2022-jp><title>\x1b$B<<!<\x1b(B</title><link>"))
	if got := len(Scan(jp.Text, nil).Elements); got != 3 {
		t.Errorf("%d elements in the ISO-2022-JP page, want 3", got)
	}
}

func TestUTF16Offsets(t *testing.T) {
	file := []byte("\xff\xfe")
	for _, r := range "é\U0001F600<p>" {
		if r > 0xFFFF {
			r -= 0x10000
			hi, lo := 0xD800+r>>10, 0xDC00+r&0x3FF
			file = append(file, byte(hi), byte(hi>>8), byte(lo), byte(lo>>8))
			continue
		}
		file = append(file, byte(r), byte(r>>8))
	}
	src := Read(file)
	at := strings.Index(string(src.Text), "<")
	if got := src.FileOffset(at); got != 8 {
		t.Errorf("the tag is at byte %d of the file, want 8", got)
	}
	if got := src.FileOffsets([]int{3, at, len(src.Text)}); !slices.Equal(got, []int{2, 8, len(file)}) {
		t.Errorf("offsets %v", got)
	}
}

func TestLocator(t *testing.T) {
	for _, c := range []struct {
		text string
		want []int // line and column of each "x"
	}{
		{"x\nx\n  x", []int{1, 1, 2, 1, 3, 3}},
		{"éx\r\n\r\nx", []int{1, 2, 3, 1}},
		{"a\rx\r x", []int{2, 1, 3, 2}},
	} {
		l := NewLocator([]byte(c.text))
		var got []int
		for i := range c.text {
			if c.text[i] == 'x' {
				line, col := l.Locate(i)
				got = append(got, line, col)
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%q: %v, want %v", c.text, got, c.want)
		}
	}
}
