package head

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var charsetLate = &check.Check{
	Name: "charset-late", Family: "head", Severity: problem.Note,
	Title: "the encoding is declared after the first 1,024 bytes",
	Doc: `Browsers look for the encoding within the first 1,024 bytes of a page (HTML, 4.2.5.4);
behind them it may come too late. Move the meta to the beginning of the head.`,
	Bad:  "<head>\n  <!-- a long comment of 1,200 bytes -->\n  <meta charset=\"utf-8\">\n  <title>Führungen</title>",
	Good: "<head>\n  <meta charset=\"utf-8\">\n  <!-- a long comment of 1,200 bytes -->\n  <title>Führungen</title>",
	Page: func(p *check.Pass) {
		if p.Page.Answer.Charset() != "" || ascii(p.Source.File) {
			return // the server says it, or any guess is right
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "meta" || !check.Own(e) {
				continue
			}
			if _, ok := markup.MetaCharset(p.Source.Text, e.El.Start); !ok {
				continue
			}
			if e.Offset+e.Length > 1024 {
				p.At(e,
					fmt.Sprintf("the encoding is declared at byte %d; browsers look for it in the first 1,024",
						e.Offset), "move it to the beginning of the head")
			}
			return
		}
	},
}
