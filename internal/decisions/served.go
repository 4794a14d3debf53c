package decisions

import (
	"context"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// mostServed is how many pages one list of ServedPages has.
const mostServed = 500

// ServedPages lists the pages that a query chooses, with their titles as the gate makes them now; of
// many the first, and how many there are.
func ServedPages(ctx context.Context, p *project.Project, query string) (list []result.PageLine, all int, err error) {
	if list, err = Pages(ctx, p, query, false, nil); err != nil {
		return nil, 0, err
	}
	all = len(list)
	list = list[:min(all, mostServed)]
	byFile := make(map[string]*page.Page, len(p.Pages))
	for i := range p.Pages {
		byFile[p.Pages[i].File] = &p.Pages[i]
	}
	for i := range list {
		pg := byFile[list[i].File]
		text, err := p.Read(pg)
		if err != nil {
			return nil, 0, err
		}
		src := markup.ReadAs(p.Gate.Page(text, *pg).File, pg.Answer.Charset())
		after := page.Page{Path: pg.Path, Answer: pg.Answer}
		after.Read(src, markup.ScanTags(src.Text, nil))
		list[i].Title = after.Title
	}
	return list, all, nil
}
