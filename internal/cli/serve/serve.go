package serve

import (
	"context"
	"errors"
	"io"
	"log"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/onepage"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/server/preview"
	"yellowgate/internal/server/reload"
	"yellowgate/internal/site"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/sitecheck"
)

func (a command) serveCmd() *cobra.Command {
	var listen string
	var names []string
	var source bool
	cmd := &cobra.Command{
		Use: "serve", GroupID: "publish", Args: app.Needs(0, 0,
			"serve takes no argument: it serves the site of the gate file",
			"yellowgate serve --gate tern-hill/yellowgate.yaml"),
		Short: "The gated site in a browser, which loads again whenever you save",
		Long: `Serves the site as apply would write it, and writes nothing: each page is read from the
source folder and gated when it is requested. When the gate file, a file that it names, a
fact or a page changes, open pages load themselves again. A mistake in the gate file is
shown here and in the browser, until it is mended.

/.yellowgate/ lists the pages with their items, by a page query if you like, and shows the
audit of each. What is added to a page for loading it again goes to browsers alone: curl
gets the bytes that apply would write.

It is for working on the site. It answers to this machine alone, unless --listen says
otherwise. For a site that an application makes, see capture and gateway.`,
		Example: "  yellowgate serve\n  yellowgate serve --listen 127.0.0.1:8080\n  yellowgate serve --source",
		RunE: func(cmd *cobra.Command, args []string) error {
			gate, err := a.GateFile()
			if err != nil {
				return err
			}
			return a.serve(cmd.Context(), gate, listen, names, source, nil)
		},
	}
	f := cmd.Flags()
	f.StringVar(&listen, "listen", "127.0.0.1:8700",
		"the `ADDRESS` to answer at, host and port; port 0 is any that is free")
	f.StringArrayVar(&names, "name", nil, "answer to this host `NAME`, too, such as tern.lan; may be repeated")
	f.BoolVar(&source, "source", false, "the pages before the gate")
	return cmd
}

// loopback reports whether nobody but this machine reaches an address.
func loopback(l net.Listener) bool {
	at, err := netip.ParseAddrPort(l.Addr().String())
	return err == nil && at.Addr().IsLoopback()
}

// Serve serves the site of a gate file, for another command.
func Serve(ctx context.Context, a *app.App, gate, listen string, ready func(at string)) error {
	return command{a}.serve(ctx, gate, listen, nil, false, ready)
}

// serve serves the site of a gate file until ctx is done. ready, if not nil, is called with its
// address once it answers.
func (a command) serve(ctx context.Context, gate, listen string, names []string, source bool,
	ready func(at string)) error {
	g := reload.Open(reload.Options{Gate: gate, Walk: true, Told: a.toldState,
		Project: project.Options{Day: a.Day, Outside: a.Outside}})
	if s := g.Now(); s.Project != nil && s.Project.Source == "" {
		return &failure.Usage{
			Message: "the gate file names no source folder: there is nothing to serve",
			Remedy:  "add under site: source: FOLDER, or stand before an application with yellowgate gateway",
		}
	} else if s.Project == nil && missing(s.Err) {
		return s.Err
	}
	l, err := app.ListenAt(listen)
	if err != nil {
		return err
	}
	defer l.Close()
	if host, _, err := net.SplitHostPort(listen); err == nil && host != "" {
		names = append(names, strings.ToLower(host))
	}
	if host, err := os.Hostname(); err == nil && !loopback(l) {
		names = append(names, strings.ToLower(host))
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	watched := g.Run(ctx)
	o := a.previewOptions(ctx)
	o.Gate, o.Source, o.Names = g, source, names
	server := &http.Server{
		Handler:           preview.Handler(ctx, o),
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          log.New(io.Discard, "", 0),
	}
	a.Tidies()
	if !a.Quiet {
		at := (&url.URL{Scheme: "http", Host: l.Addr().String(), Path: "/"}).String()
		a.Printer().Serving(at, preview.Own, source, watched, loopback(l))
		if ready != nil {
			ready(at)
		}
	}
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		if server.Shutdown(end) != nil {
			_ = server.Close()
		}
	}()
	if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return &failure.Path{Path: listen, Err: err}
	}
	return nil
}

// previewOptions are what the preview writes its own pages with.
func (a command) previewOptions(ctx context.Context) preview.Options {
	o := preview.Options{
		Pages: func(w io.Writer, p *project.Project, query string) error {
			pages, all, err := decisions.ServedPages(ctx, p, query)
			return report.PageList(w, siteName(p), query, preview.Own, pages, all, err)
		},
		Audit: func(w io.Writer, p *project.Project, pg *page.Page) error {
			r, err := siteaudit.Served(p, pg)
			if err != nil {
				return err
			}
			return report.AuditHTML(w, r)
		},
		Why: func(w io.Writer, p *project.Project, pg *page.Page) error {
			why, err := onepage.Why(p, pg, nil)
			if err != nil {
				return err
			}
			listed, err := onepage.Preview(p, pg, site.NewWeights(p.Source, p.Files).Read)
			if err != nil {
				return err
			}
			return report.OnePage(w, preview.Own, nil, why, listed)
		},
		Also: sitecheck.PageInTheWay,
		Told: func(pg *page.Page, ps []problem.Problem) {
			a.Messages().Notice("%s is not shown:", pg.Path)
			a.Messages().Problems(ps, a.Verbose)
		},
		Problems: func(w io.Writer, ps []problem.Problem, err error) error {
			var ge *project.GateError
			if errors.As(err, &ge) {
				ps, err = ge.Problems, nil
			}
			problem.Sort(ps)
			return report.ProblemPage(w, ps, err)
		}}
	if a.Verbose {
		out := a.Printer()
		o.Asked = func(r *http.Request, status int, took time.Duration) {
			out.Asked(r.Method, r.URL.RequestURI(), status, took)
		}
	}
	return o
}

// missing reports whether an error is that of a gate file that is not there.
func missing(err error) bool {
	var pe *failure.Path
	return errors.As(err, &pe)
}

func siteName(p *project.Project) string {
	if name := p.Gate.File.Site.Name.Value; name != "" {
		return name
	}
	return p.Gate.File.Site.Source.Value
}

// toldState tells what a reading of the gate file came to.
func (a command) toldState(s *reload.Reading) {
	p := a.Messages()
	var ge *project.GateError
	switch {
	case errors.As(s.Err, &ge):
		problem.Sort(ge.Problems)
		p.Problems(ge.Problems, a.Verbose)
		p.BrokenGate(time.Now())
	case s.Err != nil:
		p.Failure(s.Err.Error(), "")
	default:
		problem.Sort(s.Problems)
		p.Problems(s.Problems, a.Verbose)
		if s.Number > 1 && !a.Quiet {
			p.ReadAgain(time.Now(), len(s.Project.Pages))
		}
	}
}
