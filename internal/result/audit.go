package result

import (
	"iter"
	"slices"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/site"
)

// AuditFormat is the version of the machine-readable audit.
const AuditFormat = "yellowgate.audit/1"

// Audit is an audit of a folder of pages.
type Audit struct {
	Format   string              `json:"format"`
	Pages    int                 `json:"pages"`
	Gate     string              `json:"gate"` // digest of the gate, or ""
	Records  []*inventory.Record `json:"records"`
	Verdicts []Gated             `json:"verdicts"`
	Findings []check.Finding     `json:"findings"`
	Totals   audit.Totals        `json:"totals"`
	// Rendered is what a browser made of the pages, in their order; none without --browser.
	Rendered []*pageload.Record `json:"rendered,omitempty"`

	// Audited is how many pages had to be audited, where the others were known from before.
	Audited int `json:"-"`

	Dir string `json:"-"`
	// Below is the path of its host below which the folder is published, where its pages told that.
	Below string `json:"-"`
	// Source is the folder that the pages of an output are made of, as the gate file names it; "" for
	// pages that no gate made.
	Source string `json:"-"`
	// Fragments are the files of HTML that are no pages of their own.
	Fragments int                            `json:"-"`
	Requests  int                            `json:"-"` // of all pages
	Bytes     int64                          `json:"-"` // that all pages load, their own HTML included
	ByItem    []audit.ItemSum                `json:"-"`
	ByPage    []audit.PageSum                `json:"-"` // that are no fragments
	Each      func() iter.Seq[check.Finding] `json:"-"` // where they are not in Findings
	Unneeded  int64                          `json:"-"` // bytes of stylesheets that match nothing, over all pages
	Site      string                         `json:"-"`
}

// All yields the findings in their order.
func (r *Audit) All() iter.Seq[check.Finding] {
	if r.Each != nil {
		return r.Each()
	}
	return slices.Values(r.Findings)
}

// Gather puts findings that are read from parts into Findings.
func (r *Audit) Gather() {
	if r.Each != nil {
		r.Findings = slices.AppendSeq([]check.Finding{}, r.Each())
		r.Each = nil
	}
}

// Worst is the severity of the worst finding; any is false where there is none.
func (a *Audit) Worst() (worst problem.Severity, any bool) { return a.Totals.Worst() }

// Part is what the audit of a part has to tell.
type Part struct {
	site.Part
	Pages, All int // of the part, of the site
	Totals     audit.Totals
}

// A Rule is the line of a gate file that decided, as machine-readable formats
// have it.
type Rule struct {
	File string `json:"file"`
	Line int    `json:"line"`
}

// Gated is the verdict for one item on one page, as formats have it.
type Gated struct {
	Page    string `json:"page"`
	Item    string `json:"item"`
	Verdict string `json:"verdict"` // in, out
	Reason  string `json:"reason"`
	Rule    Rule   `json:"rule"`
	Present int    `json:"present"` // complete copies on the page
}

func RuleOf(p problem.Position) Rule { return Rule{p.File, p.Line} }

func GatedOf(pg string, v *verdict.Verdict, present int) Gated {
	return Gated{pg, v.Item.Name, v.Word(), string(v.Reason), RuleOf(v.Rule), present}
}
