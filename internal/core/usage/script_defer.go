package usage

import (
	"slices"

	"yellowgate/internal/core/inventory"
)

// What happens to a page when a script waits until it has been read.

// A Deferral is what stands in the way of loading a script with defer (HTML, 4.12.1).
type Deferral struct {
	Writes bool   // it writes into the page as it runs, which deferred scripts cannot
	With   []int  // of the record: scripts of files below it that use what it defines, and would have to wait too
	By     int    // of the record: the inline script that uses what they define as it is read; -1 for none
	Name   string // that it uses
	Sure   bool   // all of them could be read
}

// mostBelow bounds how many scripts below another are looked at.
const mostBelow = 100

// Defer says what stands in the way of loading a blocking script of a page with defer.
func (l *Library) Defer(r *inventory.Record, at int) (d Deferral) {
	list, _, whole := l.scriptsOf(r, &r.Elements[at])
	d = Deferral{By: -1, Sure: whole}
	var defines []string
	wait := func(list []*Script) {
		for _, s := range list {
			defines = slices.Concat(defines, s.Defines, s.Extends)
			d.Writes = d.Writes || slices.Contains(s.Load.Effects, "document.write")
		}
	}
	wait(list)
	looked := 0
	for i := at + 1; i < len(r.Elements); i++ {
		e := &r.Elements[i]
		if !e.IsScript() || e.Inside != "" || e.Runs != "blocking" {
			continue
		}
		if looked++; looked > mostBelow {
			d.Sure = false
			break
		}
		list, _, whole := l.scriptsOf(r, e)
		d.Sure = d.Sure && whole
		name := usedOf(list, defines)
		if name == "" {
			continue
		}
		if e.URL == "" {
			d.By, d.Name = i, name
			return d
		}
		d.With = append(d.With, i)
		wait(list)
	}
	return d
}

// usedOf is a name that scripts use, of some that others define; "" for none.
func usedOf(list []*Script, defined []string) string {
	for _, s := range list {
		if i := slices.IndexFunc(defined, func(name string) bool { return s.Uses[name] }); i >= 0 {
			return defined[i]
		}
	}
	return ""
}
