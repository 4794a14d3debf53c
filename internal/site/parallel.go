package site

import (
	"context"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Each calls do for 0 to n-1, spread over the cores, and returns an error of the
// lowest number that failed. Results belong into slices by number, so that their
// order does not depend on the pool.
func Each(n int, do func(i int) error) error {
	workers := min(runtime.GOMAXPROCS(0), n)
	errs := make([]error, n)
	var next atomic.Int64
	g, ctx := errgroup.WithContext(context.Background())
	for range workers {
		g.Go(func() error {
			for {
				i := int(next.Add(1)) - 1
				if i >= n || ctx.Err() != nil {
					return nil
				}
				if err := do(i); err != nil {
					errs[i] = err
					return err
				}
			}
		})
	}
	if g.Wait() != nil {
		for _, err := range errs {
			if err != nil {
				return err
			}
		}
	}
	return nil
}
