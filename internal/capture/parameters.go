package capture

import (
	"context"
	"maps"
	"net/url"
	"slices"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/site"
)

// Parameters that links have and nobody has named: do they make other pages? A few addresses of each are asked for at
// the end, and told.

// A Parameter is one that was dropped from links, and what was seen of it.
type Parameter struct {
	Name    string `json:"name"`
	Asked   int    `json:"asked"` // addresses with it alone that were asked for
	Other   int    `json:"other"` // of them, those with another text than the page without it
	Example string `json:"example"`
}

const (
	mostParameters = 8 // that are looked at
	askedOfEach    = 3 // addresses
)

// dropped keeps an address whose query is one parameter that nobody named. The mutex is held.
func (c *capture) dropped(u *url.URL) {
	name, _, _ := strings.Cut(u.RawQuery, "=")
	if name == "" || strings.ContainsAny(u.RawQuery, "&;%") || len(c.Query) > 0 || c.Alone {
		return
	}
	list := c.parameters[name]
	if len(list) == askedOfEach || list == nil && len(c.parameters) == mostParameters {
		return
	}
	if c.parameters == nil {
		c.parameters = map[string][]string{}
	}
	if address := u.String(); !slices.Contains(list, address) && (c.robots == nil || c.robots.Allows(u.RequestURI())) {
		c.parameters[name] = append(list, address)
	}
}

// askParameters asks for what dropped has kept, and holds it against the pages without.
func (c *capture) askParameters(ctx context.Context) {
	kept := map[string]string{} // files, by address
	for i := range c.lines {
		kept[c.lines[i].URL] = c.lines[i].File
	}
	for _, name := range slices.Sorted(maps.Keys(c.parameters)) {
		p := Parameter{Name: name}
		for _, address := range c.parameters[name] {
			bare, _, _ := strings.Cut(address, "?")
			u, err := url.Parse(address)
			if err != nil || !site.IsPage(kept[bare]) || !c.budget.request() {
				continue
			}
			without, err := site.ReadFile(c.Dir, kept[bare])
			if err != nil {
				continue
			}
			got, body, err := c.get(ctx, u, nil)
			if err != nil || got.status != 200 {
				continue
			}
			p.Asked++
			if textOf(body) != textOf(without) {
				if p.Other++; p.Example == "" {
					p.Example = address
				}
			}
		}
		if p.Asked > 0 {
			c.summary.Parameters = append(c.summary.Parameters, p)
		}
	}
}

// textOf is what a page says: its texts, titles included, without their markup.
func textOf(body []byte) string {
	var b strings.Builder
	text := markup.Read(body).Text
	markup.Pieces(text, func(x markup.Piece) bool {
		if x.Kind == markup.PieceText {
			for _, word := range strings.Fields(string(text[x.Start:x.End])) {
				b.WriteString(word + " ")
			}
		}
		return true
	})
	return b.String()
}
