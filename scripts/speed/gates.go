package main

import (
	"fmt"
	"log"
	"os"
	"time"

	"yellowgate/internal/samplegates"
)

// gates prints what each kind of gate file costs, as the ratio to the cheapest with as many items.
func (b *bench) gates(sizes []int) {
	type row struct {
		name  string
		costs [2]map[string]time.Duration // out on most pages, in on most
	}
	for _, items := range sizes {
		cheapest := map[string]time.Duration{}
		var rows []row
		survey := b.typical(b.yg("survey", "site"), nil)
		for _, k := range samplegates.Kinds {
			r := row{name: k.Name}
			for most := range 2 {
				r.costs[most] = map[string]time.Duration{}
				check(os.WriteFile(b.path("yellowgate.yaml"), []byte(k.Gate(items, most == 1)), 0o644))
				for _, work := range []string{"check", "apply", "audit"} {
					var before func()
					if work == "apply" {
						before = func() {
							check(os.RemoveAll(b.path("public")))
							check(os.RemoveAll(b.path(".yellowgate")))
						}
					}
					args := b.yg(work)
					if work == "audit" {
						args = b.yg(work, "--no-cache")
					}
					cpu := b.typical(args, before)
					r.costs[most][work] = cpu
					if cheapest[work] == 0 || cpu < cheapest[work] {
						cheapest[work] = cpu
					}
				}
			}
			rows = append(rows, r)
			log.Print(items, " ", k.Name)
		}
		fmt.Printf("\n%d items; a survey takes %d ms. In surveys, and as the ratio to the cheapest:\n\n", items,
			survey.Milliseconds())
		fmt.Println("| gate file | check, out on most | in on most | apply, out | in | audit, out | in |")
		fmt.Println("|---|---|---|---|---|---|---|")
		for _, r := range rows {
			fmt.Printf("| %s |", r.name)
			for _, work := range []string{"check", "apply", "audit"} {
				for most := range 2 {
					cpu := r.costs[most][work]
					fmt.Printf(" %.1f, %.2f |", float64(cpu)/float64(survey), float64(cpu)/float64(cheapest[work]))
				}
			}
			fmt.Println()
		}
	}
}

// typical is the CPU time of a command, in the middle of several runs.
func (b *bench) typical(args []string, before func()) time.Duration {
	var all []cost
	for range *rounds {
		if before != nil {
			before()
		}
		all = append(all, b.run(args))
	}
	return median(all).cpu
}
