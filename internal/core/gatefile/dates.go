package gatefile

import (
	"fmt"
	"time"

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

// Over reports items whose time is over on a day.
func (g *Gate) Over(day string) (out []problem.Problem) {
	for _, it := range g.Items {
		if !it.Disabled && it.Until.Value != "" && it.Until.Value < day {
			out = append(out, problem.Problem{Severity: problem.Warning, Name: problem.ItemOver, Item: it.Name,
				Pos:     it.Until.Pos,
				Message: fmt.Sprintf("item %q is over: its last day was %s", it.Name, it.Until.Value),
				Remedy:  "take it out of the gate file, or give it another day"})
		}
	}
	return out
}
