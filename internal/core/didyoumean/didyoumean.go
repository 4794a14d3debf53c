// Package didyoumean finds the name that somebody probably meant.
package didyoumean

import "strings"

// most is how many candidates are looked at, and how many bytes a name may have: whoever
// reads the suggestion has not the time for more.
const most = 2000

// Best returns the candidate nearest to the name by edit distance, or "" where
// none is near enough to be worth suggesting.
func Best(name string, candidates []string) string {
	if len(name) > most {
		return ""
	}
	candidates = candidates[:min(len(candidates), most)]
	best, limit := "", max(1, (len(name)+2)/3)
	low := strings.ToLower(name)
	for _, c := range candidates {
		if len(c)-len(name) > limit || len(name)-len(c) > limit {
			continue
		}
		if d := Distance(low, strings.ToLower(c)); d <= limit && c != name {
			best, limit = c, d-1
		}
	}
	if best == "" && len(name) >= 3 {
		for _, c := range candidates {
			if strings.HasPrefix(c, low) || len(c) >= 3 && strings.HasPrefix(low, c) {
				return c
			}
		}
	}
	return best
}

// Suggest returns ` (did you mean "x"?)`, or nothing.
func Suggest(name string, candidates []string) string {
	if b := Best(name, candidates); b != "" {
		return ` (did you mean "` + b + `"?)`
	}
	return ""
}

// Distance is the edit distance in which a swap of neighbours counts as one
// edit (Damerau, optimal string alignment).
func Distance(a, b string) int {
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}
