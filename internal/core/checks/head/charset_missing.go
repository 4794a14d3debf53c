package head

import (
	"bytes"
	"encoding/binary"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var charsetMissing = &check.Check{
	Name: "charset-missing", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "the page declares no encoding",
	Doc: `A browser guesses the encoding of a page that does not name it, and letters outside of
ASCII may come out wrong. Write <meta charset="utf-8"> as the first thing in the head.`,
	Bad:  "<head>\n  <title>Führungen</title>",
	Good: "<head>\n  <meta charset=\"utf-8\">\n  <title>Führungen</title>",
	Page: func(p *check.Pass) {
		if p.LeadsAway() || p.Fragment || p.Frameset {
			return
		}
		if ascii(p.Source.File) || p.Source.Encoding != "utf-8" ||
			bytes.HasPrefix(p.Source.File, []byte("\xEF\xBB\xBF")) {
			return // any guess is right, or the page begins with its encoding's mark
		}
		if p.Page.Answer.Charset() != "" {
			return // the server says it
		}
		for i := range p.Elements {
			if e := &p.Elements[i]; e.Tag == "meta" && check.Own(e) {
				if _, ok := markup.MetaCharset(p.Source.Text, e.El.Start); ok {
					return
				}
			}
		}
		line, col := p.HeadAt()
		p.Report(line, col, "", "the page declares no encoding",
			`write <meta charset="utf-8"> as the first thing in the head`)
	},
}

func ascii(b []byte) bool {
	for len(b) >= 8 {
		if binary.LittleEndian.Uint64(b)&0x8080808080808080 != 0 {
			return false
		}
		b = b[8:]
	}
	for _, c := range b {
		if c >= 0x80 {
			return false
		}
	}
	return true
}
