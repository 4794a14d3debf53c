package report

import (
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"mime"
	"path"
	"strings"

	"yellowgate/internal/result"
)

// How a page is listed elsewhere, and a page with what decided.

// Preview writes how a page is listed in search results and as a shared link.
func (p *Printer) Preview(r *result.Preview) {
	p.Heading("%s", r.Page)
	for _, side := range []struct {
		name   string
		listed *result.Listed
	}{{"before the gate", r.Before}, {"after it", r.After}} {
		p.Line("")
		p.Line("%s", p.head.Render(side.name))
		l := side.listed
		if l.Hidden != "" {
			p.Line("  %s", p.warn.Render(Clean(l.Hidden)))
		}
		for i := range l.Frames {
			p.frame(l, &l.Frames[i])
		}
	}
	p.Line("")
	p.Line("%s", p.dim.Render("Lists change their measures now and then: where they cut is about right."))
}

// frame writes what one place shows, in a column.
func (p *Printer) frame(l *result.Listed, f *result.ListedFrame) {
	line := func(text string) { p.Line("  %s %s", p.dim.Render("│"), text) }
	p.Line("  %s", p.dim.Render(f.Name))
	shared := strings.HasPrefix(f.Name, "shared")
	if shared {
		line(p.dim.Render(Clean(pictureOf(l))))
	} else {
		line(p.dim.Render(Clean(l.Address)))
	}
	for _, text := range f.Title.Lines {
		line(p.name.Render(Clean(text)))
	}
	if len(f.Title.Lines) == 0 {
		line(p.warn.Render("no title"))
	}
	for _, text := range f.Description.Lines {
		line(Clean(text))
	}
	if len(f.Description.Lines) == 0 {
		line(p.dim.Render("no description: a text of the page, or none"))
	}
	var cuts []string
	if !f.Title.Whole {
		cuts = append(cuts, fmt.Sprintf("the title is cut (%d pixels long, a line has %d)", f.Title.Width, f.Room))
	}
	if !f.Description.Whole {
		cuts = append(cuts, "the description is cut")
	}
	if len(cuts) > 0 {
		p.Line("  %s", p.warn.Render(strings.Join(cuts, "; ")))
	}
}

func pictureOf(l *result.Listed) string {
	if l.Shared.Image == "" {
		return l.Shared.Says
	}
	return "picture: " + l.Shared.Image + " (" + l.Shared.Says + ")"
}

//go:embed page.html
var onePage string

var onePageTemplate = lazily("page", &onePage)

// OnePage writes a page with what decided, and how it is listed, as a page of HTML. own is the path of what serve has
// of its own; "" where nobody serves it: then it loads nothing, and picture is the text of the shared link's.
func OnePage(w io.Writer, own string, picture []byte, why *result.WhyPage, preview *result.Preview) error {
	sides := []htmlListed{{"Before the gate", "", preview.Before}, {"After it", "", preview.After}}
	for i := range sides {
		file := sides[i].Shared.File
		switch {
		case strings.HasPrefix(file, "//"): // it would be another host
		case own != "":
			sides[i].Picture = template.URL(file)
		case file == preview.After.Shared.File:
			sides[i].Picture = pictureText(file, picture)
		}
	}
	return onePageTemplate().Execute(safeHTML{w}, struct {
		Own   string
		Why   *result.WhyPage
		Sides []htmlListed
	}{own, why, sides})
}

// mostPicture is how many bytes of a picture are put into a page that loads nothing.
const mostPicture = 1 << 20

// pictureText is a picture as a URL that needs no file; "" for one that is large, or none.
func pictureText(file string, picture []byte) template.URL {
	kind := mime.TypeByExtension(path.Ext(file))
	if len(picture) == 0 || len(picture) >= mostPicture || !strings.HasPrefix(kind, "image/") {
		return ""
	}
	return template.URL("data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(picture))
}

// An htmlFrame is what one place shows of a page.
type htmlFrame struct {
	*result.ListedFrame
	Shared        bool // a shared link, not a search result
	Picture       template.URL
	Address, Says string
}

// Shown are the places that list a page.
func (l *htmlListed) Shown() (out []htmlFrame) {
	for i := range l.Frames {
		f := &l.Frames[i]
		out = append(out, htmlFrame{f, f.Name == "shared link", l.Picture, l.Address, l.Listed.Shared.Says})
	}
	return out
}

type htmlListed struct {
	Name    string
	Picture template.URL
	*result.Listed
}
