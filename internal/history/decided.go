package history

import (
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Decided says who decided last of each item that a gate file has: the entry since which its lines, and the files that
// they name, are what they are now. Items that were so when the history begins, and those that are not in effect yet,
// say so.
func (h *History) Decided(named []project.NamedText) map[string]result.Decided {
	out := map[string]result.Decided{}
	was := map[string]string{} // by item: what it was after the entry before
	state := map[string]result.HistoryFile{}
	blocks := map[string]map[string]string{} // of gate files, by digest
	for i := range h.Entries {
		e := &h.Entries[i]
		for _, f := range e.Files {
			state[f.Name] = f
			if _, ok := blocks[f.Digest]; !ok && gateName(f.Name) {
				if text, err := h.text(f); err == nil {
					blocks[f.Digest] = gateedit.Read(text).Blocks("items")
				}
			}
		}
		if e.What == Applied && e.Message != "" { // what was edited since the last one is put into effect so
			for item, d := range out {
				if by := h.Entry(d.Number); by != nil && by.What == Edited && h.applied(d.Number) == e.Number {
					d.How = e.Message
					out[item] = d
				}
			}
		}
		now := marksOf(state, func(f result.HistoryFile) map[string]string { return blocks[f.Digest] })
		for item, mark := range now {
			if was[item] != mark {
				out[item] = result.Decided{Number: e.Number, Time: e.Time, Who: e.Who, How: how(e), First: i == 0}
			}
		}
		was = now
	}
	texts := map[string][]byte{}
	today := map[string]result.HistoryFile{}
	for i, f := range filesOf(named) {
		today[f.Name] = f
		texts[f.Name] = named[i].Text
	}
	for item, d := range out {
		d.Pending = h.Entry(d.Number).What == Edited && h.applied(d.Number) == 0
		out[item] = d
	}
	now := marksOf(today, func(f result.HistoryFile) map[string]string {
		if !gateName(f.Name) {
			return nil
		}
		return gateedit.Read(texts[f.Name]).Blocks("items")
	})
	for item, mark := range now {
		if was[item] != mark {
			out[item] = result.Decided{Pending: true}
		}
	}
	return out
}

// applied is the number of the apply that put an entry into effect, 0 for none.
func (h *History) applied(number int) int {
	for i := range h.Entries {
		if e := &h.Entries[i]; e.Number > number && e.What == Applied {
			return e.Number
		}
	}
	return 0
}

// marksOf says what each item is: its lines, and what stands for the files that they name.
func marksOf(files map[string]result.HistoryFile, blocks func(result.HistoryFile) map[string]string) map[string]string {
	marks := map[string]string{}
	names := slices.Sorted(maps.Keys(files))
	for _, name := range names {
		for item, block := range blocks(files[name]) {
			for _, other := range names {
				if strings.Contains(block, other) {
					block += "\n" + files[other].Digest
				}
			}
			marks[item] = block
		}
	}
	return marks
}

func gateName(name string) bool {
	return strings.HasSuffix(name, ".yaml") || strings.HasSuffix(name, ".yml")
}

// how is what somebody said of an entry, or did.
func how(e *result.HistoryEntry) string {
	if e.Message != "" {
		return e.Message
	}
	return e.Command
}
