package compare

import (
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/pagechange"
)

// metadataOf lists the metadata that differ between two records of a page, for sides whose texts are not at hand.
func metadataOf(was, is *inventory.Record) (out []pagechange.Change) {
	old, now := valuesOf(was), valuesOf(is)
	keys := make([]string, 0, len(old)+len(now))
	for key := range old {
		keys = append(keys, key)
	}
	for key := range now {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	for _, key := range slices.Compact(keys) {
		if slices.Equal(old[key], now[key]) {
			continue
		}
		c := pagechange.Change{Kind: pagechange.Metadata, Name: key, How: pagechange.Changed}
		switch {
		case old[key] == nil:
			c.How = pagechange.Added
		case now[key] == nil:
			c.How = pagechange.Removed
		}
		c.Was, c.Is = strings.Join(old[key], "\n"), strings.Join(now[key], "\n")
		out = append(out, c)
	}
	return out
}

// valuesOf are the values of metadata in a record, by the key of the gate file.
func valuesOf(r *inventory.Record) map[string][]string {
	out := map[string][]string{}
	if r.Title != "" {
		out["title"] = []string{r.Title}
	}
	for i := range r.Elements {
		e := &r.Elements[i]
		key, value := "", e.Content
		switch {
		case e.Inside != "":
			continue
		case e.Tag == "link" && strings.EqualFold(e.Rel, "canonical"):
			key, value = "canonical", e.URL
		case e.Tag == "meta":
			key = gatefile.MetaName(e.Name, e.Property)
		}
		if key == "" {
			continue
		}
		out[key] = append(out[key], value)
	}
	return out
}
