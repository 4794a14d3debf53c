package pagechange

import "strings"

// How changes are called in reports.

// Section is the heading under which a change is reported.
func (g *Group) Section() string {
	if g.Item != "" {
		return "items"
	}
	return map[Kind]string{
		Metadata: "metadata", Item: "items", Class: "classes", Attribute: "attributes", Text: "texts", Element: "elements",
	}[g.Kind]
}

// Called is what a change is of.
func (g *Group) Called() string {
	name := g.Name
	switch g.Kind {
	case Text:
		name = strings.TrimSuffix("text in "+name, " in ")
	case Attribute:
		name += " " + g.Of
	case Item:
		name += ", " + g.Of
	case Parameter:
		name = "parameter " + name
	}
	if g.Item != "" {
		return g.Item + ", " + name
	}
	return name
}

// Words say how something changed, with the values of the first page: a sign, + or −, where it is on one side only, and
// the values.
func (g *Group) Words() (sign, text string) {
	first := &g.Pages[0]
	for i := range g.Pages {
		if g.Pages[i].Was != first.Was || g.Pages[i].Is != first.Is {
			text = "such as "
		}
	}
	was, is := differing(first.Was, first.Is)
	switch g.How {
	case Added:
		return "+", text + is
	case Removed:
		return "−", text + was
	case Moved:
		text += "moved: "
	}
	return "", text + was + " → " + is
}

// mostSaid is how many characters of a value are shown.
const mostSaid = 90

// differing cuts two values to where they differ, each in one line.
func differing(was, is string) (string, string) {
	a, b := []rune(strings.Join(strings.Fields(was), " ")), []rune(strings.Join(strings.Fields(is), " "))
	if len(a) <= mostSaid && len(b) <= mostSaid {
		return string(a), string(b)
	}
	same := 0
	for same < min(len(a), len(b)) && a[same] == b[same] {
		same++
	}
	from := 0
	if same > 30 && len(a) > 0 && len(b) > 0 {
		from = same - 20
		for n := from; n > max(0, from-20); n-- { // at a word
			if a[n-1] == ' ' {
				from = n
				break
			}
		}
	}
	cut := func(r []rune) string {
		out := string(r[from:min(len(r), from+mostSaid)])
		if from > 0 {
			out = "…" + out
		}
		if len(r) > from+mostSaid {
			out += "…"
		}
		return out
	}
	return cut(a), cut(b)
}
