package report

import (
	_ "embed"
	"fmt"
	"io"
	"strings"
	"time"

	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// What serve shows in a browser besides the site: its pages, and what is wrong with the gate.

//go:embed pages.html
var pagesPage string

//go:embed problems.html
var problemsPage string

//go:embed serve.css
var serveStyle string

var pagesTemplate = lazily("pages", &pagesPage)

var problemsTemplate = lazily("problems", &problemsPage)

// PageList writes the first of the pages that a query chooses as a page of HTML, and how many there
// are. err is what is wrong with the query, if anything is; own is the path of what serve has of its
// own.
func PageList(w io.Writer, name, query, own string, pages []result.PageLine, all int, err error) error {
	d := struct {
		Name, Query, Own, Count, Wrong string
		Pages                          []result.PageLine
		More                           int
	}{Name: Clean(name), Query: query, Own: own, Count: wording.Count(all, "page"), Pages: pages, More: all - len(pages)}
	if err != nil {
		d.Wrong = err.Error()
	}
	return pagesTemplate().Execute(safeHTML{w}, d)
}

// htmlProblem is a problem as the page shows it.
type htmlProblem struct {
	problem.Problem
	Where, Before, At, After string // of the line: what stands before the mistake, at it, after it
	Remedies                 []string
}

// ProblemPage writes what is wrong with a gate as a page of HTML.
func ProblemPage(w io.Writer, ps []problem.Problem, other error) error {
	d := struct {
		Count    string
		Other    string
		Problems []htmlProblem
	}{}
	if other != nil {
		d.Other = other.Error()
	}
	errors := 0
	for _, p := range ps {
		if p.Severity == problem.Note {
			continue
		}
		if p.Severity == problem.Error {
			errors++
		}
		x := htmlProblem{Problem: p, Where: p.Pos.String()}
		if line := []rune(strings.TrimRight(p.Line, "\r\n")); len(line) > 0 && p.Pos.Column > 0 {
			at := min(p.Pos.Column-1, len(line))
			x.Before, x.At, x.After = Clean(string(line[:at])), Clean(string(line[at:min(at+1, len(line))])),
				Clean(string(line[min(at+1, len(line)):]))
		}
		if p.Remedy != "" {
			x.Remedies = strings.Split(p.Remedy, "\n")
		}
		d.Problems = append(d.Problems, x)
	}
	d.Count = wording.Count(errors, "mistake")
	return problemsTemplate().Execute(safeHTML{w}, d)
}

// Serving tells where the site is served.
func (p *Printer) Serving(at, own string, source, watched, loopback bool) {
	what := "the gated site"
	if source {
		what = "the pages before the gate"
	}
	p.Line("%s %s", p.in.Render("✓ "+what+" is at"), p.head.Render(at))
	p.Line("  %s lists its pages and shows the audit of each", strings.TrimSuffix(at, "/")+own)
	if !watched {
		p.Line("  %s", p.note.Render("the system reports no changes here: files are checked once a second"))
	}
	if !loopback {
		p.Line("  %s", p.warn.Render("everybody who reaches this machine can see it"))
	}
	p.Line("  Pages load themselves again when something changes. Ctrl-C ends it.")
}

// ReadAgain tells that the gate file was read again.
func (p *Printer) ReadAgain(at time.Time, pages int) {
	p.Line("%s %s", p.dim.Render(at.Format(time.TimeOnly)), p.in.Render("read again: "+wording.Count(pages, "page")))
}

// BrokenGate tells that a gate file cannot be put into effect.
func (p *Printer) BrokenGate(at time.Time) {
	p.Line("%s %s", p.dim.Render(at.Format(time.TimeOnly)),
		p.bad.Render("the gate is not in order: browsers are shown what is wrong until it is mended"))
}

// Asked tells of one request.
func (p *Printer) Asked(method, uri string, status int, took time.Duration) {
	ink := p.dim
	if status >= 400 {
		ink = p.warn
	}
	p.Line("%s %s %s %s", p.dim.Render(method), uri, ink.Render(fmt.Sprint(status)),
		p.dim.Render(took.Round(10*time.Microsecond).String()))
}

// StandingBefore tells where a gateway answers, and before what it stands.
func (p *Printer) StandingBefore(at, origin, status string) {
	p.Line("%s %s, %s %s", p.in.Render("✓ the gateway is at"), p.head.Render(at), "before", origin)
	if status != "" {
		p.Line("  http://%s/health and http://%s/metrics say how it is", status, status)
	}
}

// StandIns tells where the stand-ins of the demo's vendors are, and how a browser finds them.
// open and audit are commands: a browser that shows the site, and an audit in one.
func (p *Printer) StandIns(dir string, hosts []string, open, audit string) {
	p.Line("")
	p.Line("The demo is in %s: edit its yellowgate.yaml or a page, and watch. Stand-ins for its vendors answer here:",
		dir)
	for _, h := range hosts {
		p.Line("  %s", h)
	}
	p.Line("Started like this, a browser shows the whole site and requests nothing else:")
	p.Line("  %s", p.name.Render(open))
	p.Line(
		"What the vendors' scripts do to the pages as they were, and to the gated ones after yellowgate apply " +
			"(without the folder):")
	p.Line("  %s", p.name.Render(audit))
}
