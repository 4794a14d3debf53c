package cli

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/net/http/httpguts"
	"golang.org/x/net/publicsuffix"

	"yellowgate/internal/core/near"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/disk"
	"yellowgate/internal/fetch"
	"yellowgate/internal/output"
	"yellowgate/internal/report"
	"yellowgate/internal/site"
)

// passwordName is the environment variable that has the password of --user.
const passwordName = "YELLOWGATE_PASSWORD"

func (a *app) captureCmd() *cobra.Command {
	var o fetch.Options
	var from, pages, except, user, cookies string
	var headers []string
	cmd := &cobra.Command{
		Use: "capture URL", GroupID: "look", Args: needs(1, 1, "capture takes the address of a running site", "yellowgate capture http://localhost:8000/ --to captured"),
		Short: "Keep the pages of a running site as a folder",
		Long: `Asks a running site for its pages and keeps them, with the files of its own that they
load, as a folder that every other command reads: survey, show, find, audit, or a gate
file with that folder as its source. What the server said of each page (the encoding of
its header among it) is kept too, and counts.

It begins at the address, at the sitemaps that robots.txt or /sitemap.xml name, and at
those of --from, and goes on along the links of the same scheme, host and port. It asks
with GET alone, heeds robots.txt, and waits where a server asks it to.

A second capture into the same folder asks only for what has changed, and tells which
pages came, changed and went. What is stopped with Ctrl-C keeps what it has; --go-on
continues.`,
		Example: "  yellowgate capture http://localhost:8000/ --to captured\n" +
			"  yellowgate capture https://staging.ternhill.example/ --to captured --user editor --except '/calendar/**'\n" +
			"  yellowgate capture https://ternhill.example/ --to captured --rate 5 --most 500",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.begin(); err != nil {
				return err
			}
			var err error
			if o.Start, err = startOf(args[0]); err != nil {
				return err
			}
			if o.Dir == "" {
				return &site.UsageError{Message: "capture needs a folder to keep the pages in", Remedy: "yellowgate capture " + args[0] + " --to captured"}
			}
			o.Dir = filepath.Clean(o.Dir)
			if o.Most < 0 || o.Depth < 0 || o.Parallel < 1 || o.Parallel > 256 || o.Rate < 0 {
				return &site.UsageError{Message: "--most, --depth and --rate are numbers from 0, --parallel is one from 1 to 256"}
			}
			if o.Header, err = headersOf(headers); err != nil {
				return err
			}
			if user != "" {
				password, given := os.LookupEnv(passwordName)
				if !given {
					return &site.UsageError{Message: "--user needs a password, and the environment has none", Remedy: "give it in " + passwordName + "; it is written nowhere"}
				}
				r := http.Request{Header: o.Header}
				r.SetBasicAuth(user, password)
			}
			if o.Cookies, err = cookiesOf(cookies); err != nil {
				return err
			}
			if o.From, err = addressesOf(from); err != nil {
				return err
			}
			if o.Choose, err = chooser(pages, except); err != nil {
				return err
			}
			o.Address = a.siteAddress()
			o.Progress = a.progress("asking")
			a.tidies.Store(true)
			s, err := fetch.Capture(cmd.Context(), o)
			if err != nil {
				return err
			}
			if s.Stopped {
				a.status = stoppedByUser
			}
			return a.write(func(w io.Writer, pr *report.Printer) error {
				if a.format == "json" {
					return report.JSON(w, s)
				}
				pr.Capture(s, o.Dir, a.verbose)
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.Dir, "to", "", "the `FOLDER` that keeps the pages: a new one, or that of an earlier capture")
	f.StringVar(&from, "from", "", "more addresses to begin with, one a line in a `FILE`")
	f.IntVar(&o.Depth, "depth", 0, "how many links to follow one after another (0: any)")
	f.IntVar(&o.Most, "most", mostPages, "how many pages to keep (0: any number)")
	f.StringVar(&pages, "pages", "", "follow links to the pages that this `QUERY` chooses (by path and file)")
	f.StringVar(&except, "except", "", "follow no links to the pages that this `QUERY` chooses")
	f.BoolVar(&o.OwnSite, "own-site", false, "the site is ours: do not ask robots.txt")
	f.Float64Var(&o.Rate, "rate", 0, "how many requests a second at most (0: any)")
	f.IntVar(&o.Parallel, "parallel", 4, "how many requests at a time")
	f.StringArrayVar(&headers, "header", nil, "a `FIELD` to send with each request, to this site alone, such as 'Accept-Language: en'")
	f.StringVar(&cookies, "cookies", "", "send the cookies of a `FILE`: one a line, seven fields with tabs between (cookies.txt)")
	f.StringVar(&user, "user", "", "log in as `NAME`; the password comes from "+passwordName)
	f.BoolVar(&o.WithQuery, "with-query", false, "an address with another query is another page")
	f.BoolVar(&o.GoOn, "go-on", false, "do not ask again for what the folder has")
	_ = cmd.MarkFlagFilename("from")
	_ = cmd.MarkFlagFilename("cookies")
	_ = cmd.MarkFlagDirname("to")
	return cmd
}

// startOf reads the address to begin at.
func startOf(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	switch {
	case err != nil || u.Scheme == "" || strings.HasPrefix(text, "localhost:"):
		return nil, &site.UsageError{Message: "capture takes a whole address, with http:// or https://", Remedy: "yellowgate capture http://localhost:8000/ --to captured"}
	case u.Scheme != "http" && u.Scheme != "https":
		return nil, &site.UsageError{Message: "only http and https can be asked, not " + u.Scheme}
	case u.Host == "":
		return nil, &site.UsageError{Message: "the address names no host", Remedy: "yellowgate capture http://localhost:8000/ --to captured"}
	case u.User != nil:
		return nil, &site.UsageError{Message: "an address with a name and password in it gets into lists and logs", Remedy: "--user NAME, with the password in " + passwordName}
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
			return nil, &site.UsageError{Message: "--header takes a name, a colon and a value", Remedy: "--header 'Accept-Language: en'"}
		}
		h.Add(name, value)
	}
	return h, nil
}

// cookiesOf reads the file of --cookies: a line for each, with its domain, whether the hosts below
// that have it, too, its path, whether it needs TLS, its end (seconds since 1970; 0 for none), name
// and value. "#" begins a comment, but for "#HttpOnly_", which stands before a domain.
func cookiesOf(name string) (http.CookieJar, error) {
	if name == "" {
		return nil, nil
	}
	b, err := disk.Read(name, disk.PageLimit)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err}
	}
	jar, err := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List})
	if err != nil {
		return nil, err
	}
	n := 0
	for line := range strings.Lines(string(b)) {
		n++
		line = strings.TrimPrefix(strings.TrimRight(line, "\r\n"), "#HttpOnly_")
		if strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#") {
			continue
		}
		fields := strings.Split(line, "\t")
		if len(fields) != 7 {
			return nil, &site.UsageError{Message: fmt.Sprintf("%s:%d:1: a cookie has seven fields with tabs between them, and this has %d", name, n, len(fields)), Remedy: "domain, TRUE or FALSE (hosts below it), path, TRUE or FALSE (needs TLS), end, name, value"}
		}
		end, err := strconv.ParseInt(fields[4], 10, 64)
		if err != nil {
			return nil, &site.UsageError{Message: fmt.Sprintf("%s:%d:%d: the end of a cookie is in seconds since 1970, not %q", name, n, utf8.RuneCountInString(strings.Join(fields[:4], "\t"))+2, fields[4]), Remedy: "0 stands for the end of the session"}
		}
		host := strings.TrimPrefix(fields[0], ".")
		c := &http.Cookie{Path: fields[2], Secure: fields[3] == "TRUE", Name: fields[5], Value: fields[6]}
		if fields[1] == "TRUE" && net.ParseIP(host) == nil {
			c.Domain = host
		}
		if end > 0 {
			c.Expires = time.Unix(end, 0)
		}
		jar.SetCookies(&url.URL{Scheme: "https", Host: host, Path: c.Path}, []*http.Cookie{c})
	}
	return jar, nil
}

// addressesOf reads the file of --from.
func addressesOf(name string) (out []string, err error) {
	if name == "" {
		return nil, nil
	}
	b, err := disk.Read(name, disk.PageLimit)
	if err != nil {
		return nil, &site.PathError{Path: name, Err: err}
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
	yes, err := addressQuery("--pages", pages, pagequery.Const(true))
	if err != nil {
		return nil, err
	}
	no, err := addressQuery("--except", except, pagequery.Const(false))
	if err != nil {
		return nil, err
	}
	return func(path, file string) bool {
		p := &page.Page{Path: path, File: file}
		return yes.Eval(p) && !no.Eval(p)
	}, nil
}

func addressQuery(option, text string, none pagequery.Expr) (pagequery.Expr, error) {
	if text == "" {
		return none, nil
	}
	x, err := pagequery.Parse(text)
	if err != nil {
		return nil, &site.UsageError{Message: option + ": " + err.Error(), Remedy: "quote it for the shell: " + option + " '/events/**'"}
	}
	pagequery.Walk(x, func(x pagequery.Expr) {
		switch x := x.(type) {
		case *pagequery.Set, *pagequery.Has:
			err = &site.UsageError{Message: option + " knows no " + x.String() + ": of a page that has not been asked for, only path and file are known", Remedy: option + " '/events/** and not /events/archive/**'"}
		case *pagequery.Field:
			if x.Name != "path" && x.Name != "file" {
				err = &site.UsageError{Message: option + " knows no " + x.Name + near.Suggest(x.Name, []string{"path", "file"}) + ": of a page that has not been asked for, only path and file are known"}
			}
		}
	})
	return x, err
}

// isAddress reports whether an argument is the address of a site rather than a folder.
func isAddress(arg string) bool {
	return strings.HasPrefix(arg, "http://") || strings.HasPrefix(arg, "https://")
}

// folderOf is the folder that an argument names. Where it is the address of a site, that is captured
// into one that is gone when the program ends, and what the capture came to is told.
func (a *app) folderOf(ctx context.Context, arg string) (string, error) {
	if !isAddress(arg) {
		return filepath.Clean(arg), nil
	}
	start, err := startOf(arg)
	if err != nil {
		return "", err
	}
	dir, err := os.MkdirTemp("", "yellowgate-")
	if err != nil {
		return "", &site.PathError{Path: os.TempDir(), Err: err}
	}
	a.folders.Store(dir, true)
	a.tidies.Store(true)
	s, err := fetch.Capture(ctx, fetch.Options{Start: start, Dir: dir, Address: a.siteAddress(), Most: mostPages, Progress: a.progress("asking")})
	a.tidies.Store(false)
	switch {
	case err != nil:
		return "", err
	case s.Stopped:
		return "", &output.StoppedError{Done: "the site had not been read whole. yellowgate capture " + arg + " --to DIR keeps what it has read, and has options for large sites"}
	case !a.quiet:
		a.messages().Capture(s, arg, a.verbose)
	}
	return dir, nil
}

// mostPages is how many pages are kept of a site where nothing is said.
const mostPages = 10_000

// siteAddress is the address of the site as the gate file has it, whose links lead to the site that
// is captured; "" where there is no gate file, or none that can be read.
func (a *app) siteAddress() string {
	p, err := a.openIfAny(false)
	if err != nil || p == nil {
		return ""
	}
	return p.Gate.File.Site.URL.Value
}
