// Package preview shows the gated site while it is edited: each page is read and gated when it is
// asked for, and loads itself again when something changes. It is for whoever writes the site, on
// the machine where it lies.
package preview

import (
	"bytes"
	"context"
	_ "embed"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/server/reload"
)

// Own is the path below which the server has pages of its own.
const Own = "/.yellowgate/"

//go:embed reload.js
var reloadScript []byte

// Options say what is served.
type Options struct {
	Gate   *reload.Watcher
	Source bool     // the pages before the gate
	Names  []string // host names that are answered to, besides the loopback's
	// Pages and Audit write the pages of the server's own: the list of those that a query chooses,
	// the audit of one, and one with what decided. Problems writes what is wrong with a gate.
	Pages    func(w io.Writer, p *project.Project, query string) error
	Audit    func(w io.Writer, p *project.Project, pg *page.Page) error
	Why      func(w io.Writer, p *project.Project, pg *page.Page) error
	Problems func(w io.Writer, ps []problem.Problem, err error) error
	// Also, if set, makes what says what else stands in the way of a page, for a project: see sitecheck.InTheWay.
	Also func(p *project.Project) func(*pageedit.Result) []pageedit.Problem
	// Told, if set, gets the problems of a page that is not shown for them.
	Told func(pg *page.Page, ps []problem.Problem)
	// Asked, if set, is called after each request.
	Asked func(r *http.Request, status int, took time.Duration)
}

// A server answers requests for one site.
type server struct {
	Options
	ended <-chan struct{} // nobody waits for changes any longer

	mu   sync.Mutex
	site *siteNow
}

// siteNow is the site as one state of the gate has it.
type siteNow struct {
	*reload.Reading
	pages map[string]*page.Page // by key
	files map[string]bool
	root  *os.Root
	also  func(*pageedit.Result) []pageedit.Problem // nil for nothing
}

// Handler answers requests until ctx is done.
func Handler(ctx context.Context, o Options) http.Handler {
	return &server{Options: o, ended: ctx.Done()}
}

// ServeHTTP implements http.Handler.
func (s *server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	began := time.Now()
	seen := &statusWriter{ResponseWriter: w, status: http.StatusOK}
	s.answer(seen, r)
	if s.Asked != nil {
		s.Asked(r, seen.status, time.Since(began))
	}
}

func (s *server) answer(w http.ResponseWriter, r *http.Request) {
	switch {
	case !s.mine(r.Host):
		plain(w, http.StatusMisdirectedRequest,
			"This server answers to names of its own alone, and "+printable(r.Host)+" is none of them.")
	case r.Method != http.MethodGet && r.Method != http.MethodHead:
		w.Header().Set("Allow", "GET, HEAD")
		plain(w, http.StatusMethodNotAllowed, "Here are pages and files: GET and HEAD are all that is answered.")
	case strings.HasPrefix(r.URL.Path, Own):
		s.own(w, r)
	default:
		s.file(w, r)
	}
}

// mine reports whether a host is a name of this server: another site that has its own name lead to
// this machine gets nothing (DNS rebinding).
func (s *server) mine(hostport string) bool {
	host := hostport
	if h, _, err := net.SplitHostPort(hostport); err == nil {
		host = h
	}
	host = strings.ToLower(strings.TrimSuffix(strings.Trim(host, "[]"), "."))
	if _, err := netip.ParseAddr(host); err == nil {
		return true // nobody can have an address lead elsewhere
	}
	return host == "localhost" || strings.HasSuffix(host, ".localhost") || slices.Contains(s.Names, host)
}

// now is the site as it is.
func (s *server) now(state *reload.Reading) (*siteNow, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.site != nil && s.site.Number == state.Number {
		return s.site, nil
	}
	root, err := os.OpenRoot(state.Project.Source)
	if err != nil {
		return nil, &failure.Path{Path: state.Project.Source, Err: err}
	}
	n := &siteNow{Reading: state, pages: map[string]*page.Page{}, files: map[string]bool{}, root: root}
	for i := range state.Project.Pages {
		p := &state.Project.Pages[i]
		n.pages[p.Key()] = p
	}
	for _, f := range state.Project.Files {
		n.files[f.Path] = true
	}
	if s.Also != nil {
		n.also = s.Also(state.Project)
	}
	s.site = n
	return n, nil
}

// file answers with a page or a file of the site.
func (s *server) file(w http.ResponseWriter, r *http.Request) {
	state := s.Gate.Fresh()
	if state.Err != nil && !s.Source || state.Project == nil {
		s.problems(w, r, state, nil)
		return
	}
	n, err := s.now(state)
	if err != nil {
		plain(w, http.StatusInternalServerError, err.Error())
		return
	}
	clean := page.Clean(r.URL.EscapedPath())
	if pg := n.pages[page.Key(clean+page.Query(r.URL.RawQuery, state.Project.Gate.File.Site.Query))]; pg != nil {
		if to, moved := elsewhere(r.URL.Path, pg); moved {
			http.Redirect(w, r, (&url.URL{Path: to, RawQuery: r.URL.RawQuery}).String(), http.StatusFound)
			return
		}
		s.page(w, r, n, pg, http.StatusOK)
		return
	}
	name := strings.TrimPrefix(clean, "/")
	if pg := n.spelled(name); pg != nil {
		http.Redirect(w, r, (&url.URL{Path: pg.Path, RawQuery: r.URL.RawQuery}).String(), http.StatusFound)
		return
	}
	if n.files[name] {
		n.plain(w, r, name)
		return
	}
	if s.Gate.Missing(time.Now()) { // a file that came since
		s.file(w, r)
		return
	}
	if pg := n.pages[page.Key("/404.html")]; pg != nil {
		s.page(w, r, n, pg, http.StatusNotFound)
		return
	}
	plain(w, http.StatusNotFound,
		"The site has no page and no file at "+printable(r.URL.Path)+". What it has is listed at "+Own)
}

// spelled is the page that a site calls otherwise than it was asked for: /about as /about.html, or the other way round.
func (n *siteNow) spelled(name string) *page.Page {
	if pg := n.pages["/"+name+".html"]; pg != nil {
		return pg
	}
	if bare, ok := strings.CutSuffix(name, ".html"); ok && n.files[name] {
		if pg := n.pages["/"+bare]; pg != nil && pg.File == name {
			return pg
		}
	}
	return nil
}

// elsewhere is the address of a page where it was asked for by another: without the slash of its
// folder, relative addresses in it would lead astray.
func elsewhere(asked string, pg *page.Page) (to string, moved bool) {
	to, _, _ = strings.Cut(pg.Path, "?")
	return to, strings.HasSuffix(to, "/") != strings.HasSuffix(asked, "/") &&
		!strings.HasPrefix(path.Base(asked), "index.htm")
}

// page answers with a page, as the gate has it now.
func (s *server) page(w http.ResponseWriter, r *http.Request, n *siteNow, pg *page.Page, status int) {
	text, err := n.Project.Read(pg)
	if err != nil {
		plain(w, http.StatusInternalServerError, err.Error())
		return
	}
	if !s.Source {
		result := n.Project.Gate.Page(text, *pg)
		found := result.Problems
		if n.also != nil {
			found = slices.Concat(found, n.also(result))
		}
		ps := project.GroupProblems(n.Project.Gate.File, found)
		if worst, any := problem.Worst(ps); any && worst == problem.Error {
			if s.Told != nil {
				s.Told(pg, ps)
			}
			s.problems(w, r, n.Reading, ps)
			return
		}
		text = result.File
	}
	h := w.Header()
	h.Set("Content-Type", "text/html")
	for _, name := range page.Describing {
		if pg.Answer != nil && len(pg.Answer.Fields[name]) > 0 {
			h[http.CanonicalHeaderKey(name)] = pg.Answer.Fields[name]
		}
	}
	if reads(r) && !markup.ReadAs(text, pg.Answer.Charset()).UTF16() {
		text = append(slices.Clip(text), again(n.Number)...)
	}
	s.send(w, r, status, text)
}

// reads reports whether a browser asks, for somebody who reads the page. Everybody else gets the
// bytes that apply would write.
func reads(r *http.Request) bool { return strings.Contains(r.Header.Get("Accept"), "text/html") }

// again is what makes a page load itself again when the state is no longer of that number. It bears
// a mark, by which an inventory of a page that was saved in a browser leaves it out.
func again(number int) []byte {
	return fmt.Appendf(nil, "\n<!--yg:%[1]s--><script src=\"%[2]sreload.js?%[3]d\" async></script><!--/yg:%[1]s-->\n",
		markup.ReloadMark, Own, number)
}

// send writes a text that changes at any time.
func (s *server) send(w http.ResponseWriter, r *http.Request, status int, text []byte) {
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("Content-Length", fmt.Sprint(len(text)))
	w.WriteHeader(status)
	if r.Method != http.MethodHead {
		_, _ = w.Write(text)
	}
}

// problems shows what is wrong with the gate, and loads itself again once that is another.
func (s *server) problems(w http.ResponseWriter, r *http.Request, state *reload.Reading, ps []problem.Problem) {
	var b bytes.Buffer
	if err := s.Problems(&b, ps, state.Err); err != nil {
		plain(w, http.StatusInternalServerError, err.Error())
		return
	}
	if reads(r) {
		b.Write(again(state.Number))
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	s.send(w, r, http.StatusInternalServerError, b.Bytes())
}

// plain answers with a file as it is.
func (n *siteNow) plain(w http.ResponseWriter, r *http.Request, name string) {
	if text, made := n.Project.Made[name]; made {
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(text))
		return
	}
	f, err := n.root.Open(filepath.FromSlash(name))
	if err != nil {
		plain(w, http.StatusNotFound, "The file "+printable(name)+" cannot be read.")
		return
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		plain(w, http.StatusNotFound, "The file "+printable(name)+" cannot be read.")
		return
	}
	if mime.TypeByExtension(path.Ext(name)) == "" {
		w.Header().Set("Content-Type", "application/octet-stream") // no guesses: the browser would make others
	}
	w.Header().Set("Cache-Control", "no-cache")
	http.ServeContent(w, r, name, info.ModTime(), f)
}

// own answers with a page of the server's own.
func (s *server) own(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	state := s.Gate.Fresh()
	var b bytes.Buffer
	switch r.URL.Path {
	case Own + "reload.js":
		h.Set("Content-Type", "text/javascript; charset=utf-8")
		s.send(w, r, http.StatusOK, reloadScript)
		return
	case Own + "events":
		s.events(w, r)
		return
	case Own:
		if state.Err != nil || state.Project == nil {
			s.problems(w, r, state, nil)
			return
		}
		if err := s.Pages(&b, state.Project, r.URL.Query().Get("pages")); err != nil {
			plain(w, http.StatusInternalServerError, err.Error())
			return
		}
	case Own + "audit", Own + "page":
		if state.Err != nil || state.Project == nil {
			s.problems(w, r, state, nil)
			return
		}
		n, err := s.now(state)
		if err != nil {
			plain(w, http.StatusInternalServerError, err.Error())
			return
		}
		asked := r.URL.Query().Get("page")
		pg := n.pages[page.Key(state.Project.Identify(asked))]
		if pg == nil {
			plain(w, http.StatusNotFound, "The site has no page "+printable(asked)+". What it has is listed at "+Own)
			return
		}
		write := s.Audit
		if r.URL.Path == Own+"page" {
			write = s.Why
		}
		if err := write(&b, state.Project, pg); err != nil {
			plain(w, http.StatusInternalServerError, err.Error())
			return
		}
	default:
		plain(w, http.StatusNotFound, "There is no such page here. The pages of the site are listed at "+Own)
		return
	}
	if reads(r) {
		b.Write(again(state.Number))
	}
	h.Set("Content-Type", "text/html; charset=utf-8")
	s.send(w, r, http.StatusOK, b.Bytes())
}

// events tells a browser the number of each state (HTML, 9.2), until it goes.
func (s *server) events(w http.ResponseWriter, r *http.Request) {
	read, stop := s.Gate.Until()
	defer stop()
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	out := http.NewResponseController(w)
	alive := time.NewTicker(20 * time.Second)
	defer alive.Stop()
	for {
		if _, err := fmt.Fprintf(w, "data: %d\n\n", s.Gate.Now().Number); err != nil || out.Flush() != nil {
			return
		}
		select {
		case <-read:
		case <-alive.C:
		case <-r.Context().Done():
			return
		case <-s.ended:
			return
		}
	}
}

// plain answers with a sentence.
func plain(w http.ResponseWriter, status int, text string) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	fmt.Fprintln(w, text)
}

// printable is a text of a request as it can be shown.
func printable(text string) string {
	if len(text) > 200 {
		text = text[:200] + "…"
	}
	return fmt.Sprintf("%q", text)
}

// statusWriter remembers the status of an answer.
type statusWriter struct {
	http.ResponseWriter
	status int
}

func (w *statusWriter) WriteHeader(status int) {
	w.status = status
	w.ResponseWriter.WriteHeader(status)
}

// Unwrap is for http.ResponseController.
func (w *statusWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }
