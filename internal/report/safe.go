package report

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/charmbracelet/x/ansi"
)

// Whatever a page, a file name, a URL, the gate file or the facts hold: nothing of it drives
// a terminal or whoever reads a report. Here is the one place that sees to it.

// Clean makes a text safe to show, on one line: control codes (C0, DEL, C1), line and
// paragraph separators, signs that change the direction of text, and bytes that are no UTF-8
// are written as escapes. A tab is a space.
func Clean(s string) string {
	if isClean(s) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		c, n := utf8.DecodeRuneInString(s[i:])
		switch {
		case c == utf8.RuneError && n == 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case !unsafeRune(c):
			b.WriteString(s[i : i+n])
		default:
			b.WriteString(escaped(c))
		}
		i += n
	}
	return b.String()
}

func isClean(s string) bool {
	for i := 0; i < len(s); i++ {
		if c := s[i]; c < ' ' || c >= 0x7F {
			return utf8.ValidString(s) && strings.IndexFunc(s, unsafeRune) < 0
		}
	}
	return true
}

// escaped is how a character is shown that is not shown as it is.
func escaped(c rune) string {
	switch {
	case c == '\t':
		return " "
	case c == '\n':
		return `\n`
	case c == '\r':
		return `\r`
	case c <= 0x7F:
		return fmt.Sprintf(`\x%02x`, c)
	}
	return fmt.Sprintf(`\u%04x`, c)
}

func unsafeRune(r rune) bool {
	return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' || unicode.Is(unicode.Bidi_Control, r)
}

// owned stands in the colour codes that the printer makes, and in no others: nobody who
// writes pages knows it.
var owned = fmt.Sprintf("\x1b[%d;", 1_000_000_000+rand.IntN(1_000_000_000))

// An ink is a style whose codes are known as the printer's own.
type ink struct{ ansi.Style }

// Render is a text in the style, cleaned.
func (i ink) Render(text ...string) string {
	s := i.Styled(cleaned(strings.Join(text, " ")))
	if strings.IndexByte(s, 0x1b) < 0 {
		return s
	}
	s = strings.ReplaceAll(s, owned, "\x1b[") // of what was rendered before
	return strings.ReplaceAll(s, "\x1b[", owned)
}

// cleaned is Clean for a text that may hold what was rendered.
func cleaned(s string) string {
	if !strings.Contains(s, owned) {
		return Clean(s)
	}
	var b strings.Builder
	for {
		before, rest, more := strings.Cut(s, owned)
		b.WriteString(Clean(before))
		if !more {
			return b.String()
		}
		n := strings.IndexByte(rest, 'm')
		if n < 0 || strings.Trim(rest[:n], "0123456789;") != "" {
			s = rest
			continue
		}
		b.WriteString(owned + rest[:n+1])
		s = rest[n+1:]
	}
}

// emit writes one line, cleaned, with the printer's own codes as the terminal knows them.
func (p *Printer) emit(line string) {
	fmt.Fprintln(p.w, strings.ReplaceAll(cleaned(line), owned, "\x1b["))
}

// arguments are the arguments of a format, cleaned.
func arguments(args []any) []any {
	out := make([]any, len(args))
	for i, a := range args {
		switch a := a.(type) {
		case string:
			out[i] = cleaned(a)
		case error:
			out[i] = cleaned(a.Error())
		case fmt.Stringer:
			out[i] = cleaned(a.String())
		default:
			out[i] = a
		}
	}
	return out
}

// safeJSON writes JSON, which comes in one piece, with what a terminal or a reader could
// stumble on as escapes of JSON (RFC 8259, section 7).
type safeJSON struct{ io.Writer }

func (w safeJSON) Write(b []byte) (int, error) {
	return len(b), writeEscaped(w.Writer, b, func(c rune) string {
		if c < ' ' || !unsafeRune(c) {
			return "" // the encoder's own, and its line ends
		}
		return fmt.Sprintf(`\u%04x`, c)
	})
}

// safeHTML writes HTML likewise; line ends and tabs are the page's own.
type safeHTML struct{ io.Writer }

func (w safeHTML) Write(b []byte) (int, error) {
	return len(b), writeEscaped(w.Writer, b, func(c rune) string {
		if c == '\n' || c == '\t' || !unsafeRune(c) {
			return ""
		}
		return escaped(c)
	})
}

func writeEscaped(w io.Writer, b []byte, escape func(rune) string) error {
	if bytes.IndexFunc(b, func(c rune) bool { return c == utf8.RuneError || escape(c) != "" }) < 0 {
		_, err := w.Write(b)
		return err
	}
	var out bytes.Buffer
	for i := 0; i < len(b); {
		c, n := utf8.DecodeRune(b[i:])
		if x := escape(c); x != "" {
			out.WriteString(x)
		} else if c == utf8.RuneError && n == 1 {
			out.WriteString("\uFFFD")
		} else {
			out.Write(b[i : i+n])
		}
		i += n
	}
	_, err := w.Write(out.Bytes())
	return err
}
