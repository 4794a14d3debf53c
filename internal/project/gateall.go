package project

import (
	"context"

	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/parallel"
)

// GateAll gates every page and hands the results over in order.
func GateAll(ctx context.Context, p *Project, progress parallel.Progress,
	each func(i int, r *pageedit.Result) error) error {
	return parallel.InOrder(ctx, len(p.Pages), func(i int) (*pageedit.Result, error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return nil, err
		}
		return p.Gate.Page(b, p.Pages[i]), nil
	}, func(i int, r *pageedit.Result) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		return each(i, r)
	})
}

// Refusal turns problems into a *project.GateError if one is an error.
func Refusal(ps []problem.Problem) error {
	if worst, any := problem.Worst(ps); any && worst == problem.Error {
		return &GateError{Problems: ps}
	}
	return nil
}
