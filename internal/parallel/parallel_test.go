package parallel

import (
	"errors"
	"strings"
	"testing"
)

// TestInOrder: results come in order and bounded, and the first error ends it.
func TestInOrder(t *testing.T) {
	sum := 0
	err := InOrder(5000, func(i int) (int, error) { return i * 2, nil }, func(i, r int) error {
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
	err = InOrder(5000, func(i int) (int, error) {
		if i == 700 {
			return 0, boom
		}
		return i, nil
	}, func(int, int) error { sum++; return nil })
	if err != boom || sum != 700 {
		t.Errorf("%d results before the error, %v", sum, err)
	}
	if err := InOrder(9, func(i int) (int, error) { return i, nil }, func(i, _ int) error { return boom }); err != boom {
		t.Error(err)
	}
	err = InOrder(9, func(i int) (int, error) { return []int{0}[i], nil }, func(int, int) error { return nil })
	if err == nil || !strings.Contains(err.Error(), "internal error in yellowgate") {
		t.Errorf("a panic became %v", err)
	}
	if err := Each(100, func(i int) error {
		if i >= 50 {
			return boom
		}
		return nil
	}); err != boom {
		t.Error(err)
	}
}
