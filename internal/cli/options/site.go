// Package options has the options that several commands share: how a running site is asked, and how pages are opened
// in a browser.
package options

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/net/http/httpguts"
	"golang.org/x/term"

	"yellowgate/internal/capture"
	"yellowgate/internal/cli/app"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
)

// How a running site is asked: for capture, and for every command that takes an address in place of
// a folder.

// passwordName is the environment variable that has the password of --user.
const passwordName = "YELLOWGATE_PASSWORD"

// Site are the options of whoever asks a running site.
type Site struct {
	Options                                  capture.Options
	from, pages, except, user, cookies, name string
	headers                                  []string
}

// Flags adds the options to a command.
func (w *Site) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&w.from, "from", "", "more addresses to begin with, one a line in a `FILE`")
	f.IntVar(&w.Options.Depth, "depth", 0, "how many links to follow one after another (0: any)")
	f.IntVar(&w.Options.Most, "most", mostPages, "how many pages to keep (0: any number)")
	f.StringVar(&w.pages, "pages", "", "follow links to the pages that this `QUERY` chooses (by path and file)")
	f.StringVar(&w.except, "except", "", "follow no links to the pages that this `QUERY` chooses")
	f.BoolVar(&w.Options.OwnSite, "own-site", false, "the site is ours: do not ask robots.txt")
	f.BoolVar(&w.Options.WithQuery, "with-query", false, "an address with another query is another page")
	w.Single(cmd)
	_ = cmd.MarkFlagFilename("from")
}

// Single adds those that count for one page, too.
func (w *Site) Single(cmd *cobra.Command) {
	f := cmd.Flags()
	f.Float64Var(&w.Options.Rate, "rate", 0, "how many requests a second at most (0: any)")
	f.IntVar(&w.Options.Parallel, "parallel", 4, "how many requests at a time")
	f.StringArrayVar(&w.headers, "header", nil,
		"a `FIELD` to send with each request, to this site alone, such as 'Accept-Language: en'")
	f.StringVar(&w.name, "name", "", "ask for this `HOST`, where the server answers to several: the field Host")
	f.StringVar(&w.cookies, "cookies", "",
		"send the cookies of a `FILE`: one a line, seven fields with tabs between (cookies.txt)")
	f.StringVar(&w.user, "user", "", "log in as `NAME`; the password comes from "+passwordName+", or is prompted for")
	_ = cmd.MarkFlagFilename("cookies")
}

// FlagsForAddress adds the options to a command that takes a folder, too: its help names them in one
// line, and that of capture tells what they are.
func (w *Site) FlagsForAddress(cmd *cobra.Command) {
	w.Flags(cmd)
	for _, name := range addressOptions {
		_ = cmd.Flags().MarkHidden(name)
	}
	cmd.Long += "\n\n" +
		"With a URL in place of a folder, the pages are requested from the site that runs there, with the\n" +
		"options of capture: --depth, --most, --pages, --user and what else yellowgate capture --help lists."
}

// addressOptions are the names of the options that flags adds.
var addressOptions = []string{
	"from", "depth", "most", "pages", "except", "own-site", "with-query", "rate", "parallel", "header",
	"name", "cookies", "user",
}

// ForFolder refuses options that only an address has a use for, but for those named.
func (w *Site) ForFolder(cmd *cobra.Command, but ...string) error {
	for _, name := range addressOptions {
		if f := cmd.Flags().Lookup(name); f != nil && f.Changed && !slices.Contains(but, name) {
			return &failure.Usage{
				Message: "--" + name + " says how a running site is asked, and no address is named",
				Remedy:  "name one: http://localhost:8000/",
			}
		}
	}
	return nil
}

// Asked makes the options of a request for an address.
func (w *Site) Asked(a *app.App, address string) (o capture.Options, err error) {
	o = w.Options
	if o.Start, err = startOf(address); err != nil {
		return o, err
	}
	if o.Most < 0 || o.Depth < 0 || o.Parallel < 1 || o.Parallel > 256 || o.Rate < 0 {
		return o, &failure.Usage{
			Message: "--most, --depth and --rate are numbers from 0, --parallel is one from 1 to 256",
		}
	}
	if o.Identity, err = w.identity(a, o.Start); err != nil {
		return o, err
	}
	if o.From, err = addressesOf(w.from); err != nil {
		return o, err
	}
	if o.Choose, err = chooser(w.pages, w.except); err != nil {
		return o, err
	}
	o.Address, o.Query = siteAddress(a)
	o.Progress = a.Progress("asking")
	return o, nil
}

// identity is what is sent to a site that is asked: once read, or typed, it is kept.
func (w *Site) identity(a *app.App, at *url.URL) (id capture.Identity, err error) {
	if w.Options.Header != nil {
		return w.Options.Identity, nil
	}
	if id.Header, err = headersOf(w.headers); err != nil {
		return id, err
	}
	if w.name != "" {
		id.Header.Set("Host", w.name)
	}
	if w.user != "" {
		password, err := password(a, w.user, at)
		if err != nil {
			return id, err
		}
		r := http.Request{Header: id.Header}
		r.SetBasicAuth(w.user, password)
	}
	if w.cookies != "" {
		b, err := fsys.Read(w.cookies, fsys.PageLimit)
		if err != nil {
			return id, &failure.Path{Path: w.cookies, Err: err}
		}
		if id.Cookies, err = capture.ReadCookies(w.cookies, b); err != nil {
			return id, err
		}
	}
	w.Options.Identity = id
	return id, nil
}

// password is that of --user: from the environment, or typed where somebody can.
func password(a *app.App, user string, at *url.URL) (string, error) {
	if password, given := os.LookupEnv(passwordName); given {
		return password, nil
	}
	in, ok := a.In.(*os.File)
	if !ok || !term.IsTerminal(int(in.Fd())) || !app.IsTerminal(a.Err) {
		return "", &failure.Usage{
			Message: "--user needs a password, and the environment has none",
			Remedy:  "give it in " + passwordName + "; it is written nowhere",
		}
	}
	fmt.Fprintf(a.Err, "password of %s for %s: ", user, at.Host)
	b, err := term.ReadPassword(int(in.Fd()))
	fmt.Fprintln(a.Err)
	if err != nil {
		return "", &failure.Path{Path: "the password", Err: err}
	}
	return string(b), nil
}

// startOf reads the address to begin at.
func startOf(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	switch {
	case err != nil || u.Scheme == "" || strings.HasPrefix(text, "localhost:"):
		return nil, &failure.Usage{
			Message: "capture takes a whole address, with http:// or https://",
			Remedy:  "yellowgate capture http://localhost:8000/ --to captured",
		}
	case u.Scheme != "http" && u.Scheme != "https":
		return nil, &failure.Usage{Message: "only http and https can be asked, not " + u.Scheme}
	case u.Host == "":
		return nil, &failure.Usage{
			Message: "the address names no host",
			Remedy:  "yellowgate capture http://localhost:8000/ --to captured",
		}
	case u.User != nil:
		return nil, &failure.Usage{
			Message: "an address with a name and password in it gets into lists and logs",
			Remedy:  "--user NAME, with the password in " + passwordName,
		}
	}
	u.Host, u.Fragment, u.RawFragment = strings.ToLower(u.Host), "", ""
	if u.Path == "" {
		u.Path = "/"
	}
	return u, nil
}

// headersOf reads the lines of --header.
func headersOf(lines []string) (http.Header, error) {
	h := http.Header{}
	for _, line := range lines {
		name, value, ok := strings.Cut(line, ":")
		value = strings.TrimSpace(value)
		if !ok || !httpguts.ValidHeaderFieldName(name) || !httpguts.ValidHeaderFieldValue(value) {
			return nil, &failure.Usage{
				Message: "--header takes a name, a colon and a value",
				Remedy:  "--header 'Accept-Language: en'",
			}
		}
		h.Add(name, value)
	}
	return h, nil
}

// addressesOf reads the file of --from.
func addressesOf(name string) (out []string, err error) {
	if name == "" {
		return nil, nil
	}
	b, err := fsys.Read(name, fsys.PageLimit)
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err}
	}
	for lines := bufio.NewScanner(bytes.NewReader(b)); lines.Scan(); {
		if line := strings.TrimSpace(lines.Text()); line != "" && !strings.HasPrefix(line, "#") {
			out = append(out, line)
		}
	}
	return out, nil
}

// chooser makes one test of --pages and --except. Nothing but its address is known of a page that
// has not been asked for, so they can look at path and file alone.
func chooser(pages, except string) (func(path, file string) bool, error) {
	if pages == "" && except == "" {
		return nil, nil
	}
	yes, err := AddressQuery("--pages", pages, pagequery.Const(true))
	if err != nil {
		return nil, err
	}
	no, err := AddressQuery("--except", except, pagequery.Const(false))
	if err != nil {
		return nil, err
	}
	return func(path, file string) bool {
		p := &page.Page{Path: path, File: file}
		return yes.Eval(p) && !no.Eval(p)
	}, nil
}

func AddressQuery(option, text string, none pagequery.Expr) (pagequery.Expr, error) {
	if text == "" {
		return none, nil
	}
	x, err := pagequery.Parse(text)
	if err != nil {
		return nil, &failure.Usage{
			Message: option + ": " + err.Error(),
			Remedy:  "quote it for the shell: " + option + " '/events/**'",
		}
	}
	pagequery.Walk(x, func(x pagequery.Expr) {
		switch x := x.(type) {
		case *pagequery.Set, *pagequery.Has:
			err = &failure.Usage{
				Message: option + " knows no " + x.String() +
					": of a page that has not been requested, only path and file are known",
				Remedy: option + " '/events/** and not /events/archive/**'"}
		case *pagequery.Field:
			if x.Name != "path" && x.Name != "file" {
				err = &failure.Usage{
					Message: option + " knows no " + x.Name + didyoumean.Suggest(x.Name, []string{"path", "file"}) +
						": of a page that has not been requested, only path and file are known"}
			}
		}
	})
	return x, err
}

// FolderOf is the folder that an argument names. Where it is the address of a site, that is captured
// into one that is gone when the program ends, and what the capture came to is told.
func (w *Site) FolderOf(ctx context.Context, a *app.App, arg string) (string, error) {
	if !app.IsAddress(arg) {
		return filepath.Clean(arg), nil
	}
	dir, s, err := w.Fetched(ctx, a, arg)
	if err == nil && !a.Quiet {
		a.Messages().Capture(s, arg, a.Verbose)
	}
	return dir, err
}

// Fetched captures an address into a folder that is gone when the program ends.
func (w *Site) Fetched(ctx context.Context, a *app.App, address string) (dir string, s *capture.Summary, err error) {
	o, err := w.Asked(a, address)
	if err != nil {
		return "", nil, err
	}
	if o.Dir, err = a.Temporary(); err != nil {
		return "", nil, err
	}
	a.Tidies()
	s, err = capture.Capture(ctx, o)
	a.Untidy()
	if err == nil && s.Stopped {
		err = &failure.Stopped{
			Done: "the site had not been read whole. yellowgate capture " + address + " --to DIR keeps what it has read, and has options for large sites",
		}
	}
	return o.Dir, s, err
}

// mostPages is how many pages are kept of a site where nothing is said.
const mostPages = 10_000

// siteAddress is the address of the site as the gate file has it, whose links lead to the site that
// is captured, and the parameters that it says make another page; none where no gate file can be read.
func siteAddress(a *app.App) (address string, query []string) {
	name, err := a.GateFile()
	if err != nil {
		return "", nil
	}
	of, _, err := project.SiteOf(name)
	if err != nil {
		return "", nil
	}
	return of.URL.Value, of.Query
}
