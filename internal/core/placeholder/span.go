package placeholder

import (
	"fmt"
	"strconv"
	"strings"
)

// units of time, in seconds.
var units = map[string]float64{"ms": 0.001, "s": 1, "min": 60, "h": 3600, "d": 86400, "w": 7 * 86400}

// longest is the longest time that can be written, in seconds.
const longest = 100 * 366 * 86400

// ParseSpan reads a span of time such as 3.5s, 350ms, 10min, 2h, 7d or 1w, in
// seconds.
func ParseSpan(text string) (seconds float64, err error) {
	t := strings.TrimSpace(text)
	i := strings.IndexFunc(t, func(r rune) bool { return r != '.' && (r < '0' || r > '9') })
	if i > 0 {
		if unit, ok := units[t[i:]]; ok {
			if n, err := strconv.ParseFloat(t[:i], 64); err == nil {
				if n*unit > longest {
					return 0, fmt.Errorf("%q is longer than a hundred years", text)
				}
				// Whole milliseconds, so that 0.1s is 100ms and not nearly.
				return float64(int64(n*unit*1000+0.5)) / 1000, nil
			}
		}
	}
	return 0, fmt.Errorf("%q is not a time: write a number and a unit, such as 250ms, 8s, 2min, 1h or 7d", text)
}
