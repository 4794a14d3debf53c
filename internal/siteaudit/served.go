package siteaudit

import (
	"yellowgate/internal/core/page"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Served audits a page of the source as the gate makes it now.
func Served(p *project.Project, pg *page.Page) (*result.Audit, error) {
	text, err := p.Read(pg)
	if err != nil {
		return nil, err
	}
	r, err := Page(p.Gate.Page(text, *pg).File, pg.Path, p)
	if err != nil {
		return nil, err
	}
	r.Dir = pg.Path
	for i := range r.Findings {
		r.Findings[i].File = pg.File
	}
	return r, nil
}
