package sitecheck

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// AsWritten takes a page as apply would write it.
func AsWritten(p *project.Project, g *pageedit.Result, w inventory.Weights) *check.Pass {
	record := itemmatch.Take(g.File, g.Page, p.Gate, w)
	return &check.Pass{Record: record.Record, Gated: itemmatch.Compare(record, g)}
}

// NewJudge is a judge of what pages need for a project, with the weights of its source.
func NewJudge(p *project.Project) (*gatecheck.Judge, *site.Weights) {
	w := site.NewWeights(p.Source, p.Files)
	return gatecheck.NewJudge(p.Gate, w.Read, w), w
}
