package site

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/failure"
)

// A Part is one of several of a site, counted from 1; the zero value is the whole site.
type Part struct{ Number, Of int }

// MostParts is how many parts a site may be audited or written in.
const MostParts = 10_000

// ParsePart reads a part as it is written on the command line: 3/8.
func ParsePart(s string) (Part, error) {
	number, of, ok := strings.Cut(s, "/")
	n, err := strconv.Atoi(number)
	m, oerr := strconv.Atoi(of)
	if !ok || err != nil || oerr != nil || n < 1 || m < n || m > MostParts {
		return Part{}, &failure.Usage{
			Message: fmt.Sprintf(
				"--part is a part and the number of parts, such as 3/8 for the third of eight, not %q", s),
			Remedy: fmt.Sprintf("there are from 1 to %d parts, and each of them is to be run", MostParts),
		}
	}
	return Part{n, m}, nil
}

// Has reports whether a page or a file belongs to the part, by its path in the site.
func (p Part) Has(path string) bool {
	return p.Of < 2 || PartOf(path, p.Of) == p.Number
}

// PartOf is the number of the part, of so many, that a page or a file belongs to.
func PartOf(path string, of int) int { return int(xxh3.HashString(path)%uint64(max(of, 1))) + 1 }

func (p Part) String() string { return fmt.Sprintf("%d/%d", p.Number, p.Of) }
