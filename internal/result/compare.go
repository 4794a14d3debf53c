package result

import (
	"slices"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/core/problem"
)

// WorstNew is the severity of the worst finding that is new: as Audit.Worst.
func (c *Comparison) WorstNew() (worst problem.Severity, any bool) {
	return audit.Count(nil, slices.Values(c.New)).Worst()
}

// A Comparison is what differs between two audits, and the two.
type Comparison struct {
	*compare.Result
	Before, After *Audit
}
