package parallel

import (
	"context"
	"errors"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
)

// TestInOrder: results come in order and bounded, and the first error ends it.
func TestInOrder(t *testing.T) {
	sum := 0
	err := InOrder(t.Context(), 5000, func(i int) (int, error) { return i * 2, nil }, func(i, r int) error {
		if r != 2*i || i != sum {
			t.Fatalf("result %d of %d, %d were before", r, i, sum)
		}
		sum++
		return nil
	})
	if err != nil || sum != 5000 {
		t.Errorf("%d results, %v", sum, err)
	}
	boom := errors.New("boom")
	sum = 0
	err = InOrder(t.Context(), 5000, func(i int) (int, error) {
		if i == 700 {
			return 0, boom
		}
		return i, nil
	}, func(int, int) error { sum++; return nil })
	if err != boom || sum != 700 {
		t.Errorf("%d results before the error, %v", sum, err)
	}
	if err := InOrder(t.Context(), 9, func(i int) (int, error) { return i, nil },
		func(i, _ int) error { return boom }); err != boom {
		t.Error(err)
	}
	err = InOrder(
		t.Context(),
		9,
		func(i int) (int, error) { return []int{0}[i], nil },
		func(int, int) error { return nil },
	)
	if err == nil || !strings.Contains(err.Error(), "internal error in yellowgate") {
		t.Errorf("a panic became %v", err)
	}
	if err := Each(t.Context(), 100, func(i int) error {
		if i >= 50 {
			return boom
		}
		return nil
	}); err != boom {
		t.Error(err)
	}
}

// TestDone: work that is stopped hands over nothing more, and says so; work that was done when it was
// stopped is done.
func TestDone(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	n := 0
	err := InOrder(ctx, 5000, func(i int) (int, error) { return i, nil }, func(i, _ int) error {
		if n++; i == 100 {
			stop()
		}
		return nil
	})
	if err != context.Canceled || n > 101+16*runtime.GOMAXPROCS(0) {
		t.Errorf("%d results, %v", n, err)
	}
	var begun atomic.Int64
	if err := Each(ctx, 9, func(int) error { begun.Add(1); return nil }); err != context.Canceled || begun.Load() > 0 {
		t.Errorf("%d begun, %v", begun.Load(), err)
	}
	ctx, stop = context.WithCancel(t.Context())
	if err := Each(ctx, 1, func(int) error { stop(); return nil }); err != nil {
		t.Error(err)
	}
}
