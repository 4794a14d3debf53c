package report

import (
	"io"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
)

// The machine-readable forms of results that are not their own record.

type applyRecord struct {
	Pages     int             `json:"pages"`
	Fragments int             `json:"fragments"`
	Others    int             `json:"others"`
	Written   int             `json:"written"`
	Copied    int             `json:"copied"`
	Unchanged int             `json:"unchanged"`
	Removed   int             `json:"removed"`
	Problems  []ProblemRecord `json:"problems"`
}

// ApplyRecord is what an apply did.
func ApplyRecord(s *publish.Summary) any {
	return applyRecord{
		s.Pages, s.Fragments, s.Others, s.Written, s.Copied, s.Unchanged, s.Removed,
		ProblemRecords(s.Problems),
	}
}

type itemRecord struct {
	Item  string `json:"item"`
	In    int    `json:"in"`
	Found int    `json:"found"`
	Pages string `json:"pages"`
	Note  string `json:"note"`
}

// CheckRecord is what check found.
func CheckRecord(r *result.Check) any {
	items := []itemRecord{}
	for _, c := range r.Tally {
		items = append(items, itemRecord{c.Item.Name, c.In, c.Found, result.ChosenBy(c.Item), c.Item.Note})
	}
	_, _, _, accepted := Counts(r.Problems)
	return struct {
		Pages    int             `json:"pages"`
		Items    []itemRecord    `json:"items"`
		Problems []ProblemRecord `json:"problems"`
		Accepted int             `json:"accepted"`
	}{r.Pages, items, ProblemRecords(r.Problems), accepted}
}

// PageLines writes a page's record and verdicts, one a line.
func PageLines(w io.Writer, r *inventory.Record, verdicts []result.Gated) error {
	if err := NDJSON(w, r); err != nil {
		return err
	}
	for _, v := range verdicts {
		if err := NDJSON(w, v); err != nil {
			return err
		}
	}
	return nil
}

// FindingLines writes the findings of an audit, one a line.
func FindingLines(w io.Writer, a *result.Audit) error {
	for f := range a.All() {
		if err := NDJSON(w, f); err != nil {
			return err
		}
	}
	return nil
}

type checkDoc struct {
	Name     string `json:"name"`
	Family   string `json:"family"`
	Severity string `json:"severity"`
	Title    string `json:"title"`
	Doc      string `json:"doc"`
	Bad      string `json:"bad"`
	Good     string `json:"good"`
}

// CheckDocs are the texts of one check, or of all.
func CheckDocs(one *check.Check) any {
	doc := func(c *check.Check) checkDoc {
		return checkDoc{c.Name, c.Family, c.Severity.String(), c.Title, c.Doc, c.Bad, c.Good}
	}
	if one != nil {
		return doc(one)
	}
	out := []checkDoc{}
	for _, c := range checks.All() {
		out = append(out, doc(c))
	}
	return out
}
