// Package parallel does work on many files, several at a time, and hands the results over in order.
package parallel

import (
	"context"
	"fmt"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Each calls do for 0 to n-1, spread over the cores, and returns an error of the
// lowest number that failed, or that of ctx once that is done. Results belong into
// slices by number, so that their order does not depend on the pool.
func Each(ctx context.Context, n int, do func(i int) error) error {
	workers := min(runtime.GOMAXPROCS(0), n)
	errs := make([]error, n)
	var next atomic.Int64
	g, running := errgroup.WithContext(ctx)
	for range workers {
		g.Go(func() error {
			for running.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= n {
					return nil
				}
				_, err := guarded(i, func(i int) (struct{}, error) { return struct{}{}, do(i) })
				if err != nil {
					errs[i] = err
					return err
				}
			}
			return nil
		})
	}
	if g.Wait() != nil {
		for _, err := range errs {
			if err != nil {
				return err
			}
		}
	}
	if int(next.Load()) < n {
		return ctx.Err()
	}
	return nil
}

// guarded calls do, and turns a panic into an error: whatever goes wrong within
// the program, the user gets a sentence and no stack trace.
func guarded[T any](i int, do func(i int) (T, error)) (result T, err error) {
	defer func() {
		if e := recover(); e != nil {
			err = fmt.Errorf("internal error in yellowgate, at work on file number %d: %v", i+1, e)
		}
	}()
	return do(i)
}

// InOrder calls do for 0 to n-1, spread over the cores, and each with the
// results in that order, from one goroutine. No more than a bounded number of
// results wait, so memory does not grow with n. The first error ends it, and so does
// ctx, whose error is returned then.
func InOrder[T any](ctx context.Context, n int, do func(i int) (T, error), each func(i int, result T) error) error {
	return InOrderBy(ctx, runtime.GOMAXPROCS(0), n, do, each)
}

// InOrderBy is InOrder with a number of workers, for work that is mostly waiting.
func InOrderBy[T any](ctx context.Context, workers, n int, do func(i int) (T, error),
	each func(i int, result T) error) error {
	type done struct {
		result T
		err    error
	}
	workers = min(workers, max(n, 1))
	window := 16 * workers
	slots := make([]chan done, window)
	for i := range slots {
		slots[i] = make(chan done, 1)
	}
	var next atomic.Int64
	room := make(chan struct{}, window) // one token for each result under way
	stop := make(chan struct{})
	var group sync.WaitGroup
	for range workers {
		group.Go(func() {
			for {
				select {
				case room <- struct{}{}:
				case <-stop:
					return
				}
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				r, err := guarded(i, do)
				slots[i%window] <- done{r, err}
			}
		})
	}
	defer group.Wait()
	defer close(stop)
	for i := range n {
		var d done
		select {
		case d = <-slots[i%window]:
		case <-ctx.Done():
			d.err = ctx.Err()
		}
		if d.err == nil {
			d.err = each(i, d.result)
		}
		if d.err != nil {
			next.Store(int64(n))
			return d.err
		}
		<-room
	}
	return nil
}
