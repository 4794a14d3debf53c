// Package capture asks a running site for its pages and keeps them, with the files of its own that
// they load, as a folder that every other command reads.
//
// It asks with GET alone, heeds robots.txt (RFC 9309), waits where it is told to, keeps to one
// origin, and writes nothing of what it was given to get in.
package capture

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/time/rate"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/robots"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// Options say what to ask for, and how.
type Options struct {
	Identity
	Start     *url.URL // where it begins; its scheme, host and port are the origin
	Address   string   // of the site as visitors know it, whose links lead to the origin, too; "" for none
	Dir       string   // where what is kept goes
	Most      int      // pages; 0 for any number
	Depth     int      // links from the start; 0 for any
	Parallel  int
	Rate      float64                      // requests a second; 0 for any
	OwnSite   bool                         // robots.txt is not asked
	WithQuery bool                         // an address with a query is one of its own
	Query     []string                     // parameters that make another page of an address; others are dropped
	GoOn      bool                         // what the folder has is not asked for again
	Alone     bool                         // the first page and what it loads, nothing else
	From      []string                     // more addresses to begin with
	Largest   int64                        // bytes of a body
	Patience  time.Duration                // for an answer to begin, and for its body
	Choose    func(path, file string) bool // the pages that links may lead to; nil for all
	Progress  func(done, known int)
}

// A Dead is an address that answered with an error, or not at all.
type Dead struct {
	URL    string   `json:"url"`
	Status int      `json:"status"` // 0 where nothing answered
	Why    string   `json:"why"`
	From   []string `json:"from"` // addresses of pages that link to it, three at most
}

// A Summary is what a capture came to.
type Summary struct {
	Pages     int               `json:"pages"`
	Files     int               `json:"files"`
	Bytes     int64             `json:"bytes"` // of what is kept
	Redirects int               `json:"redirects"`
	Dead      []Dead            `json:"dead"`
	LeftOut   map[string]int    `json:"leftOut"`  // addresses, by why
	Example   map[string]string `json:"examples"` // one address for each why
	Queries   int               `json:"queries"`  // links whose query was dropped
	// Parameters are some of those that were dropped, and whether they make other pages.
	Parameters []Parameter `json:"parameters"`
	Again      bool        `json:"again"` // the folder had a capture already; else the next three are 0
	Came       int         `json:"came"`  // pages
	Changed    int         `json:"changed"`
	Gone       int         `json:"gone"`
	Limit      string      `json:"limit,omitempty"` // of the run, that was reached
	Stopped    bool        `json:"stopped"`         // not all was asked for
}

// userAgent is how requests name this program.
var userAgent = "yellowgate/" + version.Number

// address is one address of the origin, and how it was come by.
type address struct {
	url   *url.URL
	page  bool // it may be a page
	depth int
	from  string // the address of the page that led there first
	hops  int    // redirects that led there
}

// asked is what an address is asked for as.
func (a *address) asked() string {
	if a.page {
		return "page"
	}
	return "file"
}

// leads are the addresses that lead to one.
type leads struct {
	first []string // three at most
	last  string
	n     int
}

// add takes in another; an address adds all of its links one after the other.
func (l *leads) add(from string) {
	if l.last == from || slices.Contains(l.first, from) {
		return
	}
	l.last = from
	if l.n++; len(l.first) < 3 {
		l.first = append(l.first, from)
	}
}

// leads are those of an address. The mutex is held, or nobody works.
func (c *capture) leads(key string) *leads {
	if c.from[key] == nil {
		c.from[key] = &leads{}
	}
	return c.from[key]
}

type capture struct {
	Options
	client *http.Client
	folds  bool     // the file system knows no upper and lower case
	root   *os.Root // Dir: neither what a site names nor what a record says leads out of it
	limit  *rate.Limiter
	robots *robots.Rules

	mu       sync.Mutex
	wake     *sync.Cond
	queue    []address
	seen     map[string]bool
	busy     int
	files    map[string]string // by file, the digest of what is kept there
	from     map[string]*leads
	lines    []site.Captured
	before   map[string]site.Captured // of an earlier capture, by address
	known    int
	sitemaps int
	budget   budget

	parameters map[string][]string // addresses with a parameter that was dropped, by its name
	partly     bool                // addresses were left out that a capture without limits finds
	leftOut    map[string]bool     // addresses, by whatever reason
	summary    *Summary
	until      time.Time // nobody asks before
	failed     error     // of the first address
	broken     error     // of the disk: nothing more can be kept
	stop       func()    // ends the run
}

// Capture asks for a site and keeps it. An error is a *failure.Usage or *failure.Path; where ctx
// is done, what there is is kept, and Stopped is set.
func Capture(ctx context.Context, o Options) (*Summary, error) {
	o.Parallel, o.Largest, o.Patience = cmp.Or(o.Parallel, 4), cmp.Or(o.Largest, 32<<20),
		cmp.Or(o.Patience, 30*time.Second)
	c := &capture{Options: o, seen: map[string]bool{}, files: map[string]string{}, leftOut: map[string]bool{},
		budget: budgetOf(o.Most, o.Alone), from: map[string]*leads{},
		summary: &Summary{Dead: []Dead{}, Parameters: []Parameter{}, LeftOut: map[string]int{},
			Example: map[string]string{}}}
	c.wake = sync.NewCond(&c.mu)
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.DisableCompression, transport.ResponseHeaderTimeout, transport.MaxIdleConnsPerHost = true, o.Patience,
		o.Parallel
	transport.DialContext = (&net.Dialer{Timeout: o.Patience}).DialContext
	c.client = &http.Client{
		Transport:     transport,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	if len(o.Cookies) > 0 {
		kept, err := jar(o.Cookies)
		if err != nil {
			return nil, err
		}
		c.client.Jar = kept
	}
	c.limit = rate.NewLimiter(rate.Inf, 1)
	if o.Rate > 0 {
		c.limit = rate.NewLimiter(rate.Limit(o.Rate), 1)
	}
	_, err := fsys.Lstat(o.Dir)
	isNew := fsys.Missing(err)
	if err := os.MkdirAll(o.Dir, 0o755); err != nil {
		return nil, &failure.Path{Path: o.Dir, Err: err}
	}
	if c.root, err = os.OpenRoot(o.Dir); err != nil {
		return nil, &failure.Path{Path: o.Dir, Err: err}
	}
	defer c.root.Close()
	if err := c.lastTime(); err != nil {
		return nil, err
	}
	_, err = c.root.Stat(strings.ToUpper(site.CaptureName))
	c.folds = err == nil
	s, err := c.all(ctx)
	if err != nil && isNew && c.summary.Pages == 0 { // the folder is of this run, and has nothing of use
		_ = os.RemoveAll(o.Dir)
	}
	return s, err
}

// all asks for everything.
func (c *capture) all(ctx context.Context) (*Summary, error) {
	ctx, c.stop = context.WithCancel(ctx)
	defer c.stop()
	if err := c.begin(ctx); err != nil {
		return nil, err
	}
	stop := context.AfterFunc(ctx, func() { c.mu.Lock(); c.wake.Broadcast(); c.mu.Unlock() })
	defer stop()
	var workers sync.WaitGroup
	for range c.Parallel {
		workers.Go(func() { c.work(ctx) })
	}
	workers.Wait()
	if ctx.Err() == nil {
		c.askParameters(ctx)
	}
	c.summary.Stopped = ctx.Err() != nil
	s, err := c.finish()
	if c.broken != nil {
		return nil, c.broken
	}
	return s, err
}

// begin asks for the first address, robots.txt and the sitemaps.
func (c *capture) begin(ctx context.Context) error {
	if !c.OwnSite && !c.Alone {
		u := c.Start.ResolveReference(&url.URL{Path: "/robots.txt"})
		a, body, err := c.get(ctx, u, nil)
		if err != nil {
			return c.unreachable(err)
		}
		if kind := strings.Join(a.fields["content-type"], ""); a.status == 200 &&
			strings.HasPrefix(kind, "text/plain") {
			c.keepFile(u, a, body)
		}
		c.robots = robots.Of(a.status, string(body), userAgent)
		for _, s := range c.robots.Sitemaps {
			c.sitemap(ctx, s, 0)
		}
	}
	c.add(c.Start.String(), c.Start, true, 0, "")
	if c.known == 0 {
		return &failure.Usage{
			Message: "robots.txt disallows " + c.Start.String(),
			Remedy:  "if the site is yours, --own-site requests it anyway",
		}
	}
	if c.Alone {
		return nil
	}
	c.sitemap(ctx, "/sitemap.xml", 0)
	for _, raw := range c.From {
		if c.resolve(raw, c.Start) == nil {
			c.leave("it is of another site", raw)
		}
		c.add(raw, c.Start, true, 0, "")
	}
	return nil
}

// unreachable is the error of a site that does not answer at all.
func (c *capture) unreachable(err error) error {
	why := err.Error()
	var ue *url.Error
	if errors.As(err, &ue) {
		why = ue.Err.Error()
	}
	remedy := "is the server running, and is the address right?"
	var dns *net.DNSError
	switch {
	case errors.As(err, &dns):
		remedy = "there is no such host, or it cannot be looked up here"
	case strings.Contains(why, "certificate"):
		remedy = "the server's certificate is not one that this machine trusts"
	case strings.Contains(why, "HTTP response to HTTPS"):
		remedy = "the server speaks no TLS there: write http://"
	}
	return &failure.Path{Path: c.Start.Redacted(), Err: errors.New(why), What: remedy}
}

// resolve makes an address of a reference; nil where it leads out of the origin.
func (c *capture) resolve(raw string, base *url.URL) *url.URL {
	u, err := base.Parse(strings.TrimSpace(raw))
	if err != nil || u.Opaque != "" {
		return nil
	}
	if u.Scheme != c.Start.Scheme || u.Host != c.Start.Host {
		address, err := url.Parse(c.Address)
		ours := err == nil && c.Address != "" && strings.EqualFold(u.Host, address.Host) ||
			u.Host != "" && strings.EqualFold(u.Host, c.Header.Get("Host"))
		if !ours || u.Scheme != "http" && u.Scheme != "https" {
			return nil
		}
		u.Scheme, u.Host = c.Start.Scheme, c.Start.Host
	}
	u.Fragment, u.RawFragment, u.User = "", "", nil
	if u.Path == "" {
		u.Path = "/"
	}
	return u
}

// add puts an address into the queue, once.
func (c *capture) add(raw string, base *url.URL, isPage bool, depth int, from string) {
	c.addAfter(0, raw, base, isPage, depth, from)
}

// addAfter is add for what so many redirects led to.
func (c *capture) addAfter(hops int, raw string, base *url.URL, isPage bool, depth int, from string) {
	u := c.resolve(raw, base)
	if u == nil {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if isPage && c.dropQuery(u) {
		c.summary.Queries++
	}
	key := u.String()
	if from != "" {
		c.leads(key).add(from)
	}
	if c.seen[key] {
		return
	}
	c.seen[key] = true
	switch {
	case isPage && c.Alone && depth > 0:
		return
	case c.robots != nil && !c.robots.Allows(u.RequestURI()):
		c.leave("robots.txt asks to leave it out", key)
		return
	case isPage && c.Depth > 0 && depth > c.Depth:
		c.limited(fmt.Sprintf("it is more than %d links away", c.Depth), key)
		return
	case !c.budget.address():
		c.over(key)
		return
	}
	if isPage && c.Choose != nil {
		if file, _ := FileOf(u, true, true); depth > 0 && !c.Choose(page.IdentifyURL(u, c.Query), file) {
			c.limited("--pages or --except leaves it out", key)
			return
		}
	}
	c.known++
	c.queue = append(c.queue, address{u, isPage, depth, from, hops})
	c.wake.Signal()
}

// dropQuery leaves of a page's query what makes another page; it reports whether something else was there.
func (c *capture) dropQuery(u *url.URL) (dropped bool) {
	if u.RawQuery == "" && !u.ForceQuery || c.WithQuery {
		return false
	}
	c.dropped(u)
	named := strings.TrimPrefix(page.Query(u.RawQuery, c.Query), "?")
	dropped = named != page.NormalQuery(u.RawQuery)
	u.RawQuery, u.ForceQuery = named, false
	return dropped
}

// over leaves an address out for which the run has nothing left. The mutex is held.
func (c *capture) over(key string) {
	c.summary.Limit = c.budget.spent
	c.limited("the run has reached its limit: "+c.budget.spent, key)
}

// afford takes room for a body of an address; false where the run has none left, which is told.
func (c *capture) afford(key string, bytes int) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.budget.keep(int64(bytes)) {
		c.over(key)
		return false
	}
	return true
}

// limited leaves an address out that a capture without limits finds. The mutex is held.
func (c *capture) limited(why, key string) {
	c.partly = true
	c.leave(why, key)
}

// leave counts an address that is left out. The mutex is held.
func (c *capture) leave(why, example string) {
	c.leftOut[example] = true
	c.summary.LeftOut[why]++
	if c.summary.Example[why] == "" {
		c.summary.Example[why] = example
	}
}

// work takes addresses from the queue until there is none, and nobody who could add one.
func (c *capture) work(ctx context.Context) {
	for {
		c.mu.Lock()
		for len(c.queue) == 0 && c.busy > 0 && ctx.Err() == nil {
			c.wake.Wait()
		}
		if len(c.queue) == 0 || ctx.Err() != nil {
			c.wake.Broadcast()
			c.mu.Unlock()
			return
		}
		a := c.queue[0]
		c.queue = c.queue[1:]
		if a.page && c.isFull() {
			c.limited(c.full(), a.url.String())
			c.mu.Unlock()
			continue
		}
		if !c.budget.request() {
			c.over(a.url.String())
			c.mu.Unlock()
			continue
		}
		c.busy++
		c.mu.Unlock()
		c.one(ctx, a)
		c.mu.Lock()
		c.busy--
		done, known := c.known-len(c.queue)-c.busy, c.known
		c.wake.Broadcast()
		c.mu.Unlock()
		if c.Progress != nil {
			c.Progress(done, known)
		}
	}
}

// one asks for an address, keeps what comes, and follows what it leads to.
func (c *capture) one(ctx context.Context, a address) {
	key := a.url.String()
	got, body, err := c.getNew(ctx, a.url, key)
	line := site.Captured{
		URL:    key,
		Asked:  a.asked(),
		Status: got.status,
		Time:   now(),
		Fields: got.fields,
		Wire:   got.wire,
		Bytes:  int64(len(body)),
	}
	if !c.usable(ctx, a, got, err, line) {
		return
	}
	if got.line != nil { // as the folder has it
		line = *got.line
	}
	says := &page.Answer{Status: got.status, Fields: got.fields}
	isPage := says.IsHTML() && (len(got.fields["content-type"]) > 0 || a.page)
	file, why := FileOf(a.url, isPage, isPage || c.WithQuery)
	if isPage && !a.page {
		why = "a page came where a script, a stylesheet or another file was requested"
	}
	if why == "" && !c.afford(key, len(body)) {
		c.note(line)
		return
	}
	same := false
	if why == "" {
		digest := sum(body)
		if same, why = c.store(file, digest, body, isPage); why == "" && !same {
			line.File, line.Sum, line.Asked = file, digest, ""
		}
	}
	if why != "" {
		c.mu.Lock()
		c.leave(why, key)
		c.mu.Unlock()
	}
	c.note(line)
	if why == "" {
		c.follow(a, file, body, isPage, says)
	}
}

// usable reports whether a response has something to keep. Where it has not, what came of the request is noted.
func (c *capture) usable(ctx context.Context, a address, got answer, err error, line site.Captured) bool {
	key := line.URL
	switch {
	case ctx.Err() != nil:
		c.mu.Lock()
		c.queue = append(c.queue, a) // it counts as not asked
		c.mu.Unlock()
		return false
	case err != nil:
		c.dead(key, 0, reason(err))
		if key == c.Start.String() {
			c.failed = err
		}
		line.Why = reason(err)
	case got.where != "":
		c.redirect(a, got, line)
		return false
	case got.status >= 400:
		c.dead(key, got.status, fmt.Sprintf("%d %s", got.status, http.StatusText(got.status)))
	case got.why != "":
		c.mu.Lock()
		c.leave(got.why, key)
		c.mu.Unlock()
	default:
		return true
	}
	c.note(line)
	return false
}

// store keeps a body as a file, and counts it. same: another address has brought this file already; why it is
// not kept, if it is not.
func (c *capture) store(file, digest string, body []byte, isPage bool) (same bool, why string) {
	if isPage && !c.room() {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.partly = true
		return false, c.full()
	}
	same, why = c.keep(file, digest, body)
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case isPage && (same || why != ""):
		c.summary.Pages--
	case !isPage && !same && why == "":
		c.summary.Files++
	}
	if !same && why == "" {
		c.summary.Bytes += int64(len(body))
	}
	return same, why
}

// follow adds what a page or a file that was kept leads to.
func (c *capture) follow(a address, file string, body []byte, isPage bool, says *page.Answer) {
	base := a.url
	var refs []reference
	if isPage {
		var href string
		if href, refs = pageReferences(body, says); href != "" {
			if u, err := a.url.Parse(href); err == nil {
				base = u
			}
		}
	} else {
		refs = fileReferences(file, body)
	}
	for _, r := range refs {
		of := base
		if r.head {
			of = a.url
		}
		c.add(r.raw, of, r.page, a.depth+1, a.url.String())
	}
}

// room takes the room of one more page, if there is any.
func (c *capture) room() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.isFull() {
		return false
	}
	c.summary.Pages++
	return true
}

// isFull says that there is no room for a page. The mutex is held.
func (c *capture) isFull() bool { return c.Most > 0 && c.summary.Pages >= c.Most }

func (c *capture) full() string { return fmt.Sprintf("there are %d pages already (--most)", c.Most) }

// redirect goes on where an answer leads.
func (c *capture) redirect(a address, got answer, line site.Captured) {
	c.mu.Lock()
	c.summary.Redirects++
	c.mu.Unlock()
	if to, err := a.url.Parse(got.where); err == nil {
		line.Final = to.Redacted()
	}
	c.note(line)
	if c.resolve(got.where, a.url) == nil {
		c.mu.Lock()
		c.leave("it leads to another site", line.URL)
		c.mu.Unlock()
		return
	}
	if a.hops == mostHops {
		c.dead(line.URL, got.status, fmt.Sprintf("it redirects more than %d times", mostHops))
		return
	}
	c.addAfter(a.hops+1, got.where, a.url, a.page, a.depth, a.from)
}

func (c *capture) dead(key string, status int, why string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.summary.Dead = append(c.summary.Dead, Dead{URL: key, Status: status, Why: why})
}

func (c *capture) note(line site.Captured) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.lines = append(c.lines, line)
}

// keep writes a body whose digest is sum; why says why that cannot be done here. same tells that
// the same body is there already, by another address: / and /index.html.
func (c *capture) keep(file, sum string, body []byte) (same bool, why string) {
	if why := unfit(file, runtime.GOOS); why != "" {
		return false, why
	}
	key := file
	if c.folds {
		key = folded(file)
	}
	c.mu.Lock()
	other, taken := c.files[key]
	if !taken {
		c.files[key] = sum
	}
	c.mu.Unlock()
	switch {
	case taken && other == sum:
		return true, ""
	case taken:
		return false, "another address with the same path has another body"
	}
	name := filepath.Join(c.Dir, filepath.FromSlash(file))
	err := c.root.MkdirAll(path.Dir(file), 0o755)
	if err == nil {
		err = fsys.Replace(name, body)
	}
	if err != nil {
		if ofTheDisk(err) {
			c.mu.Lock()
			if c.broken == nil {
				c.broken = &failure.Path{
					Path: name,
					Err:  err,
					What: "what was kept before is whole; capture again with --go-on once there is room",
				}
			}
			c.mu.Unlock()
			c.stop()
		}
		return false, "it cannot be written: " + reason(err)
	}
	return false, ""
}

// ofTheDisk reports whether an error of writing is one that every file would meet, whatever its name.
func ofTheDisk(err error) bool {
	return slices.ContainsFunc([]error{syscall.ENOSPC, syscall.EDQUOT, syscall.EIO, syscall.EROFS, fs.ErrPermission},
		func(kind error) bool { return errors.Is(err, kind) })
}

// keepFile keeps a file that the audit reads and no page names. It is called before there are pages.
func (c *capture) keepFile(u *url.URL, got answer, body []byte) {
	file, why := FileOf(u, false, true)
	if why != "" {
		return
	}
	digest := sum(body)
	if same, why := c.keep(file, digest, body); same || why != "" {
		return
	}
	c.summary.Files++
	c.summary.Bytes += int64(len(body))
	c.seen[u.String()] = true
	c.note(
		site.Captured{
			URL:    u.String(),
			File:   file,
			Status: got.status,
			Time:   now(),
			Fields: got.fields,
			Wire:   got.wire,
			Bytes:  int64(len(body)),
			Sum:    digest,
		},
	)
}

func now() string { return time.Now().UTC().Format(time.RFC3339) }
