// Package browser opens pages in an installed Chromium, over the DevTools protocol, and records what
// it made of them: see core/pageload.
//
// browser.go finds and starts the browser; visit.go opens one page; identity.go tells a site that runs
// who asks; watch.go hears what happens meanwhile; read.go asks for the rest once the page is quiet;
// children.go hears workers and frames; steps.go does what a visitor may do; popups.go opens and closes
// the page's popups; picture.go takes pictures; serve.go answers for a site that is a folder.
package browser

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/capture"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// names are those under which the browser is looked for.
var names = []string{"chromium", "chromium-browser", "google-chrome-stable", "google-chrome", "chrome"}

// Options say how pages are opened.
type Options struct {
	capture.Identity
	Path    string        // of the browser; "" to look for one
	Network bool          // third parties are called
	Hosts   []Host        // that are somewhere else
	Quiet   time.Duration // without a request until a page counts as quiet; 0 for half a second
	Most    time.Duration // that is waited for quiet; 0 for ten seconds
	Wait    time.Duration // after that
	Scroll  bool          // to the end and back
	Click   string        // a selector
	Dark    bool          // the visitor prefers dark colours
	Hover   bool          // pictures are taken with the mouse over every link and button
	Popups  bool          // are opened and closed at the end
	Steps   bool          // what a visitor may do is done, and the page looked at after each: see Record.Sights
	Pages   int           // that are open at a time; 0 for two for each core, eight at most
	Told    func(text string)
	// Visit are addresses of sites that run, scheme, host and port: with Hosts, all that is requested without Network.
	Visit []string
}

// AtATime is how many pages are open at a time: most of a visit is waiting.
func (o *Options) AtATime() int { return cmp.Or(o.Pages, min(8, 2*runtime.GOMAXPROCS(0))) }

// A Host is one that answers at another address; its name may have a port, and is then that one alone.
type Host struct{ Name, Address string }

// A Screen is a size in CSS pixels.
type Screen struct{ Width, Height int }

func (s Screen) String() string { return fmt.Sprintf("%dx%d", s.Width, s.Height) }

var screenForm = regexp.MustCompile(`^(\d{2,5})x(\d{2,5})$`)

// ParseScreen reads a size such as 1280x800.
func ParseScreen(text string) (s Screen, err error) {
	m := screenForm.FindStringSubmatch(text)
	if m == nil {
		return s, &failure.Usage{
			Message: fmt.Sprintf("a screen is a width and a height, not %q", text),
			Remedy:  "--screen 1280x800",
		}
	}
	s.Width, _ = strconv.Atoi(m[1])
	s.Height, _ = strconv.Atoi(m[2])
	return s, nil
}

// ParseHost reads a host and where it answers: pay.lantern.example=127.0.0.1:9001.
func ParseHost(text string) (h Host, err error) {
	name, address, ok := strings.Cut(text, "=")
	if !ok || name == "" || !strings.Contains(address, ":") || strings.ContainsAny(name+address, " ,*\"") {
		return h, &failure.Usage{
			Message: fmt.Sprintf("--host takes a host, = and an address, not %q", text),
			Remedy:  "--host pay.lantern.example=127.0.0.1:9001",
		}
	}
	return Host{name, address}, nil
}

// A Browser is one that runs. Close ends it, and every process of it.
type Browser struct {
	Options
	ctx    context.Context // how the library names a browser that runs
	cancel []context.CancelFunc
	local  *local // answers for the site; nil for one that runs
	// watches are those of the visits that are going on, by the browser's name of their contexts.
	watches sync.Map
	alone   sync.RWMutex // held by a visit that nothing is to disturb, and shared by all others
	tried   sync.Map     // by page, popup and way: popups open by themselves on one screen as on another
}

// find is the path of a browser.
func find(path string) (string, error) {
	if path != "" {
		found, err := exec.LookPath(path)
		if err != nil {
			return "", &failure.Usage{
				Message: "there is no browser at " + path,
				Remedy:  "--browser-path names the program of Chromium or Chrome",
			}
		}
		return found, nil
	}
	for _, n := range names {
		if found, err := exec.LookPath(n); err == nil {
			return found, nil
		}
	}
	return "", &failure.Usage{
		Message: "--browser needs Chromium or Chrome, and there is none: looked for " + strings.Join(names, ", "),
		Remedy:  "install it (Debian: apt install chromium), or name it with --browser-path",
	}
}

// Start starts a browser. of is the folder that the site is served from, nil for a site that runs.
// Where ctx is done, the browser ends, and the error is that of ctx.
func Start(ctx context.Context, o Options, of *ServedSite) (*Browser, error) {
	path, err := find(o.Path)
	if err != nil {
		return nil, err
	}
	b := &Browser{Options: o}
	if b.Quiet == 0 {
		b.Quiet = 500 * time.Millisecond
	}
	if b.Most == 0 {
		b.Most = 10 * time.Second
	}
	if o.Told != nil && os.Geteuid() == 0 {
		o.Told(
			"the browser runs without its sandbox, since you are root: open only pages that you trust, or run this " +
				"as another user")
	}
	profile, err := b.makeProfile()
	if err != nil {
		return nil, err
	}
	if of != nil {
		if b.local, err = serve(of); err != nil {
			b.Close()
			return nil, err
		}
		b.cancel = append(b.cancel, b.local.close)
	}
	err = b.launch(ctx, path, profile)
	if err != nil && err != errSilent && ctx.Err() == nil {
		err = b.launch(ctx, path, profile) // on a busy machine it may crash as it starts
	}
	if err == nil {
		return b, nil
	}
	b.Close()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return nil, &failure.Path{
		Path: path,
		Err:  err,
		What: "the browser does not start; --browser-path names another",
	}
}

// launch starts the program at a path, which keeps whatever it keeps in a folder.
func (b *Browser) launch(ctx context.Context, path, profile string) error {
	ctx, end := chromedp.NewExecAllocator(ctx, b.flags(path, profile)...)
	ctx, leave := chromedp.NewContext(ctx, chromedp.WithErrorf(func(string, ...any) {}),
		chromedp.WithLogf(func(string, ...any) {}))
	if err := b.started(ctx); err != nil {
		leave()
		end()
		chromedp.FromContext(ctx).Allocator.Wait() // until the process has ended
		return err
	}
	b.ctx = ctx
	b.cancel = append(b.cancel, end, leave)
	return nil
}

// errSilent is the error of a browser that says nothing once it was started.
var errSilent = errors.New("it does not answer")

// makeProfile makes the one folder in which the browser keeps whatever it keeps. It is gone at the end.
func (b *Browser) makeProfile() (string, error) {
	profile, err := fsys.MakeTemporary()
	if err != nil {
		return "", &failure.Path{Path: os.TempDir(), Err: err}
	}
	b.cancel = append(b.cancel, func() {
		if b.ctx != nil {
			chromedp.FromContext(b.ctx).Allocator.Wait() // until the process has ended
		}
		for range 50 { // its children may end a moment later
			if os.RemoveAll(profile); !exists(profile) {
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
	})
	return profile, nil
}

// started waits until the browser answers.
func (b *Browser) started(ctx context.Context) error {
	started := make(chan error, 1)
	go func() {
		err := chromedp.Do(ctx)
		if err == nil {
			err = b.attachShared(ctx)
		}
		started <- err
	}()
	select {
	case err := <-started:
		return err
	case <-time.After(60 * time.Second):
		return errSilent
	}
}

// flags are what the program at a path is started with. Whatever it keeps is in the folder profile.
func (b *Browser) flags(path, profile string) []chromedp.ExecAllocatorOption {
	flags := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.DisableGPU,
		chromedp.CombinedOutput(io.Discard))
	for _, off := range []string{"disable-background-networking", "disable-component-update", "disable-sync",
		"disable-quic", "no-pings"} {
		flags = append(flags, chromedp.Flag(off, true))
	}
	flags = append(flags, chromedp.Flag("password-store", "basic"),
		chromedp.Flag("webrtc-ip-handling-policy", "disable_non_proxied_udp"), // nothing leaves by UDP
		chromedp.UserDataDir(filepath.Join(profile, "profile")),
		chromedp.Env("HOME="+profile, "TMPDIR="+profile, "XDG_CONFIG_HOME="+profile, "XDG_CACHE_HOME="+profile,
			"XDG_DATA_HOME="+profile),
	)
	if os.Geteuid() == 0 {
		flags = append(flags, chromedp.NoSandbox)
	}
	if b.local != nil {
		flags = append(flags, chromedp.Flag("ignore-certificate-errors-spki-list", b.local.key))
	}
	if len(b.Hosts) > 0 { // stand-ins have certificates of their own
		flags = append(flags, chromedp.Flag("ignore-certificate-errors", true))
	}
	if rules := b.rules(); len(rules) > 0 {
		flags = append(flags, chromedp.Flag("host-resolver-rules", strings.Join(rules, ", ")))
	}
	return flags
}

// rules say where hosts are found. Without Network nothing is looked up, and nobody is requested anything, but what
// is named here.
func (b *Browser) rules() (rules []string) {
	for _, h := range b.Hosts {
		if _, _, err := net.SplitHostPort(h.Name); err == nil { // one port of it alone
			rules = append(rules, "MAP "+h.Name+" "+h.Address)
			continue
		}
		for _, port := range []string{"80", "443"} {
			rules = append(rules, "MAP "+h.Name+":"+port+" "+h.Address)
		}
	}
	if b.local != nil {
		rules = append(rules, b.local.rules()...)
	}
	if b.Network {
		return rules
	}
	if b.local != nil && b.local.mapped == "" {
		rules = append(rules, "MAP "+b.local.at+" "+b.local.at)
	}
	for _, address := range b.Options.Visit {
		if at := hostAndPort(address); at != "" {
			rules = append(rules, "MAP "+at+" "+at)
		}
	}
	return append(rules, "MAP * ~NOTFOUND")
}

func exists(name string) bool {
	_, err := os.Lstat(name)
	return err == nil
}

// hostAndPort is where an address leads; "" for none.
func hostAndPort(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[u.Scheme]
	}
	return net.JoinHostPort(u.Hostname(), port)
}

// Close ends the browser.
func (b *Browser) Close() {
	for i := len(b.cancel) - 1; i >= 0; i-- {
		b.cancel[i]()
	}
}
