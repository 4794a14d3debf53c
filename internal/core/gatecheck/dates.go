package gatecheck

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
)

// Over reports items whose time is over on a day.
func Over(g *gatefile.Gate, day string) (out []problem.Problem) {
	for _, it := range g.Items {
		if !it.Disabled && it.Until.Value != "" && it.Until.Value < day {
			out = append(out, problem.Problem{Severity: problem.Warning, Pos: it.Until.Pos,
				Message: fmt.Sprintf("item %q is over: its last day was %s", it.Name, it.Until.Value), Remedy: "take it out of the gate file, or give it another day"})
		}
	}
	return out
}
