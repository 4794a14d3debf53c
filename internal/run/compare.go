package run

import (
	"encoding/json"
	"os"
	"path/filepath"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/site"
)

// Compare holds two folders of pages, or saved audits, against each other. The
// project, which may be nil, says which items things belong to.
func Compare(before, after string, project *site.Project, progress Progress) (*Comparison, error) {
	b, err := side(before, project, progress)
	if err != nil {
		return nil, err
	}
	a, err := side(after, project, progress)
	if err != nil {
		return nil, err
	}
	if b.gated != a.gated { // only one of them can be held against the gate
		b.Findings, a.Findings = withoutGate(b.Findings), withoutGate(a.Findings)
	}
	c := &Comparison{Result: compare.Compare(&b.Side, &a.Side), Before: b.audit, After: a.audit}
	c.After.Findings = a.Findings
	c.After.Totals = Totals{Accepted: c.After.Totals.Accepted}
	c.After.count()
	return c, nil
}

// A Comparison is what differs between two audits, and the two.
type Comparison struct {
	*compare.Result
	Before, After *AuditResult
}

// gatedSide is a side, and whether it was held against the gate.
type gatedSide struct {
	compare.Side
	gated bool
	audit *AuditResult
}

func withoutGate(fs []checks.Finding) (out []checks.Finding) {
	for _, f := range fs {
		if c := checks.Named(f.Check); c == nil || c.Family != "gate" {
			out = append(out, f)
		}
	}
	return out
}

// side reads one side: a folder, or an audit saved as JSON.
func side(name string, project *site.Project, progress Progress) (*gatedSide, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err, What: "name a folder of pages, or an audit saved with --format json"}
	}
	if !info.IsDir() {
		return saved(name)
	}
	o := AuditOptions{Dir: filepath.Clean(name), Name: name, Records: true, Progress: progress}
	if project != nil {
		o.Address = project.Gate.File.Site.URL.Value
		if abs, err := filepath.Abs(name); err == nil && abs == project.Output {
			o.Dir, o.Project = abs, project
		}
	}
	r, err := Audit(o)
	if err != nil {
		return nil, err
	}
	return &gatedSide{compare.Side{Name: name, Records: r.Records, Findings: r.Findings}, o.Project != nil, r}, nil
}

// saved reads an audit that was saved as JSON.
func saved(name string) (*gatedSide, error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err}
	}
	var r AuditResult
	if err := json.Unmarshal(b, &r); err != nil || r.Format != AuditFormat {
		return nil, &site.UsageError{Message: name + " is no saved audit of this format (" + AuditFormat + ")", Remedy: "save one with yellowgate audit --format json --out FILE"}
	}
	r.Dir = name
	for _, rec := range r.Records {
		rec.Restore()
		cost := rec.Cost()
		r.Requests += cost.Requests
		r.Bytes += int64(rec.Bytes + cost.Loaded)
	}
	return &gatedSide{compare.Side{Name: name, Records: r.Records, Findings: r.Findings}, r.Gate != "", &r}, nil
}
