package app

import (
	"context"
	"errors"
	"strings"

	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/report"
)

// Fail tells an error and returns its exit status.
func (a *App) Fail(err error) int {
	p := a.Messages()
	var ge *project.GateError
	var ue *failure.Usage
	var fe *publish.ForeignError
	var pe *failure.Path
	var stop *failure.Stopped
	switch {
	case isPipe(err): // the reader had enough, and knows it
		return Unreadable
	case errors.As(err, &stop):
		p.Failure(stop.Error(), "")
		return StoppedByUser
	case errors.Is(err, context.Canceled):
		return StoppedByUser
	case errors.As(err, &ge):
		problem.Sort(ge.Problems)
		p.Problems(ge.Problems, a.Verbose)
		e, _, _, _ := report.Counts(ge.Problems)
		if e == 1 {
			p.Line("1 error: nothing was written.")
		} else {
			p.Line("%d errors: nothing was written.", e)
		}
		return WrongUse
	case errors.As(err, &ue):
		p.Failure(ue.Message, ue.Remedy)
		return WrongUse
	case errors.As(err, &fe):
		p.Failure(fe.Error(), fe.Remedy())
		return Unreadable
	case errors.As(err, &pe):
		p.Failure(pe.Error(), "")
		return Unreadable
	}
	if strings.HasPrefix(err.Error(), "unknown command") || strings.Contains(err.Error(), "arg(s)") ||
		strings.HasPrefix(err.Error(), "required flag") {
		p.Failure(strings.ReplaceAll(strings.TrimSpace(err.Error()), "\n\n", "\n"),
			"yellowgate --help lists the commands")
		return WrongUse
	}
	p.Failure(err.Error(), "")
	return Unreadable
}
