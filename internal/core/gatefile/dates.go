package gatefile

import (
	"fmt"
	"regexp"
	"strings"
	"time"

	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Turn is the next day on which items come in or go out by their dates.
type Turn struct {
	Day     string   // as 2027-06-01; "" where nothing turns any more
	In, Out []string // names of items
}

// NextTurn is the first turn after a day.
func (g *Gate) NextTurn(day string) (t Turn) {
	at := func(next, name string, in bool) {
		if next <= day || t.Day != "" && next > t.Day {
			return
		}
		if next < t.Day || t.Day == "" {
			t = Turn{Day: next}
		}
		if in {
			t.In = append(t.In, name)
		} else {
			t.Out = append(t.Out, name)
		}
	}
	for _, it := range g.Items {
		if it.Disabled {
			continue
		}
		if it.From.Value != "" {
			at(it.From.Value, it.Name, true)
		}
		if last, err := time.Parse(time.DateOnly, it.Until.Value); err == nil {
			at(last.AddDate(0, 0, 1).Format(time.DateOnly), it.Name, false)
		}
	}
	return t
}

// unused reports parameters of items that no text of theirs names.
func (r *reader) unused() {
	texts := make([]string, 0, 1+len(r.gate.Others))
	texts = append(texts, string(r.gate.Text))
	for _, f := range r.gate.Others {
		texts = append(texts, string(f.Text))
	}
	for _, it := range r.gate.Items {
		if len(it.Params) == 0 {
			continue
		}
		all := strings.Join(texts, "\n")
		for _, p := range it.Parts {
			all += "\n" + p.Text
		}
		for _, p := range it.Params {
			if !regexp.MustCompile(`@\{[^}]*\b` + regexp.QuoteMeta(p.Name) + `\b`).MatchString(all) {
				r.problem(problem.Warning, p.Pos, "write @{"+p.Name+"} where it belongs, or take the parameter out", "item %q uses its parameter %q nowhere", it.Name, p.Name)
			}
		}
	}
}

// needsURL reports, once, what cannot be written without the site's address.
func (r *reader) needsURL() {
	if r.gate.Site.URL.Value != "" {
		return
	}
	needs := func(t *placeholder.Template) bool {
		if t == nil {
			return false
		}
		for _, p := range t.Pieces {
			if p.Placeholder == nil {
				continue
			}
			only := true
			for _, o := range p.Placeholder.Options {
				only = only && (o.Name == "page.url" || o.Name == "site.url")
			}
			if only {
				return true
			}
		}
		return false
	}
	fail := func(pos problem.Position, what string) {
		r.problem(problem.Error, pos, "add it under site: url: https://ternhill.example", "%s needs the site's address, and site.url is missing", what)
	}
	keys := func(list []Key) bool {
		for i := range list {
			k := &list[i]
			for n := range k.Values {
				v := k.Values[n].Value
				// Others than browsers fetch a social image: it has to be absolute.
				relative := k.ID() == "property.og:image" && len(v.Pieces) > 0 && strings.HasPrefix(v.Pieces[0].Text, "/") && !strings.HasPrefix(v.Pieces[0].Text, "//")
				if relative || needs(v) {
					fail(k.Pos, k.Name)
					return true
				}
			}
		}
		return false
	}
	for _, rule := range r.gate.Rules {
		if keys(rule.Keys) {
			return
		}
	}
	for _, p := range r.gate.Pages {
		if keys(p.Keys) {
			return
		}
	}
	for _, it := range r.gate.Items {
		for _, p := range it.Parts {
			if needs(p.Template) {
				fail(p.Pos, fmt.Sprintf("item %q", it.Name))
				return
			}
		}
	}
}
