package loading

import (
	"bytes"
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// Start tags that end in "/>" as XML has it: in HTML the slash closes nothing (HTML, 13.2.5.40), so that the element
// goes on. Void elements need no end, and the end of p, li, td and their like comes by itself.

// A goesOn says how far an element goes on that nobody closes, NAME being the element's.
type goesOn struct {
	to       string
	severity problem.Severity
}

var (
	toEnd      = goesOn{"to the end of what it stands in", problem.Warning}
	formatting = goesOn{"through all that follows, up to the next </NAME>", problem.Warning} // HTML, 13.2.4.3
	swallowing = goesOn{"up to the next </NAME>: that is its text, and is not shown", problem.Error}
)

var leftOpen = map[string]goesOn{}

func init() {
	for list, how := range map[string]goesOn{
		"b big code em font i nobr s small strike strong tt u a":      formatting,
		"iframe textarea title style xmp noembed noframes noscript":   swallowing,
		"abbr article aside audio blockquote button canvas center":    toEnd,
		"cite details dialog div dl fieldset figure footer form h1":   toEnd,
		"h2 h3 h4 h5 h6 header ins kbd label main mark nav object ol": toEnd,
		"pre q samp section select span sub sup table ul var video":   toEnd,
	} {
		for name := range strings.FieldsSeq(list) {
			leftOpen[name] = how
		}
	}
}

// selfClosed reports the elements that a slash does not close, those of one name at the first of them.
func selfClosed(p *check.Pass) {
	if p.Page.Answer.IsXML() {
		return // there it does close
	}
	text := p.Source.Text
	type open struct {
		start       int
		name        string
		goesOn      goesOn
		attr, value string // that ends in the slash
	}
	var firsts []open
	count := map[string]int{}
	for _, t := range p.Scan.Tags {
		if text[t.End-2] != '/' {
			continue
		}
		x := open{start: int(t.Start), name: strings.ToLower(string(text[t.Start+1 : t.NameEnd]))}
		known := false
		if x.goesOn, known = leftOpen[x.name]; !known && strings.Contains(x.name, "-") {
			x.goesOn, known = toEnd, true
		}
		if !known || closesAtOnce(text[t.End:], x.name) || p.Scan.IsForeign(x.start) {
			continue
		}
		x.attr, x.value = lastAttr(text[:t.End], int(t.NameEnd))
		if !strings.HasSuffix(x.value, "/") {
			x.value = ""
		} else if x.attr != "id" && x.attr != "name" {
			continue // the slash is meant: href=/visit/
		}
		if count[x.name]++; count[x.name] == 1 {
			firsts = append(firsts, x)
		}
	}
	for _, x := range firsts {
		message := fmt.Sprintf("/> does not close <%s>: it goes on %s", x.name,
			strings.ReplaceAll(x.goesOn.to, "NAME", x.name))
		if x.value != "" {
			message += fmt.Sprintf("; and its %s is %q", x.attr, x.value)
		}
		if n := count[x.name] - 1; n > 0 {
			message += fmt.Sprintf(" (and %d more)", n)
		}
		line, column := p.Locate(x.start)
		f := p.Report(line, column, "", message, fmt.Sprintf("write <%s></%[1]s>", x.name)).Of(x.name)
		f.Severity = x.goesOn.severity
		if _, link := markup.AttrValue(text, x.start, "href"); x.name == "a" && !link {
			f.Severity = problem.Note // of an anchor nobody sees it
		}
	}
}

// closesAtOnce reports whether nothing but space stands before an element's end tag.
func closesAtOnce(rest []byte, name string) bool {
	rest = bytes.TrimLeft(rest[:min(len(rest), 200)], " \t\r\n")
	return len(rest) > len(name)+2 && strings.EqualFold(string(rest[:len(name)+2]), "</"+name)
}

// lastAttr is the last attribute of the start tag at the end of a text, whose name ends at from: its name in lower
// case, and its value if that stands without quotes.
func lastAttr(tag []byte, from int) (name, value string) {
	for {
		a, next, ok := markup.NextAttr(tag, from)
		if !ok {
			return name, value
		}
		name, value, from = strings.ToLower(string(tag[a.Name.Start:a.Name.End])), "", next
		if a.Quote == 0 {
			value = string(tag[a.Value.Start:a.Value.End])
		}
	}
}
