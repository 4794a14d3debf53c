package app

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/core/placeholder"
)

// A Span is an option that takes a time, as the gate file writes them: 250ms, 8s, 2min, 1h, 7d.
type Span struct{ *time.Duration }

// SpanFlag adds one to a command.
func SpanFlag(cmd *cobra.Command, into *time.Duration, name string, usual time.Duration, usage string) {
	*into = usual
	cmd.Flags().Var(Span{into}, name, usage)
}

func (s Span) String() string {
	if s.Duration == nil || *s.Duration == 0 {
		return ""
	}
	for _, u := range []struct {
		of   time.Duration
		name string
	}{{time.Hour, "h"}, {time.Minute, "min"}, {time.Second, "s"}} {
		if *s.Duration%u.of == 0 {
			return fmt.Sprintf("%d%s", *s.Duration/u.of, u.name)
		}
	}
	return fmt.Sprintf("%dms", s.Duration.Milliseconds())
}

// Set implements pflag.Value.
func (s Span) Set(text string) error {
	seconds, err := placeholder.ParseSpan(text)
	*s.Duration = time.Duration(seconds * float64(time.Second))
	return err
}

// Type implements pflag.Value.
func (s Span) Type() string { return "time" }
