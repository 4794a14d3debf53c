package head

import (
	"strings"
	"testing"
)

// TestTitleWidth: wide letters need more room than narrow ones.
func TestTitleWidth(t *testing.T) {
	if wide, narrow := widthOf(strings.Repeat("W", 60)), widthOf(strings.Repeat("i", 60)); wide < 1100 || wide > 1200 || narrow < 240 || narrow > 300 {
		t.Errorf("60 W are %d pixels, 60 i are %d", wide, narrow)
	}
}
