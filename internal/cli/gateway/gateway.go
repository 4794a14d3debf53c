package gateway

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/coreos/go-systemd/v22/activation"
	"github.com/spf13/cobra"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/report"
	"yellowgate/internal/server/gateway"
	"yellowgate/internal/server/reload"
)

// gatewayFlags are the options of gateway.
type gatewayFlags struct {
	listen, origin, status, log string
	certificate, key, originCA  string
	largest, keep, request      string
	header                      string
	maxAge                      time.Duration
	sample                      int
	trusted, headers, cookies   []string
	only, share, unknown        string
	pageWait, originWait        time.Duration
	clientWait, idle, drain     time.Duration
	behind, timing, watchOnly   bool
	streams                     time.Duration
}

func (a command) gatewayCmd() *cobra.Command {
	var o gatewayFlags
	cmd := &cobra.Command{
		Use: "gateway [GATE ...]", GroupID: "publish",
		Short: "Stand before an application, and gate the pages among its responses",
		Long: `Stands before the server that makes the pages, and puts the gate into effect on each page
that passes. Whatever is no page (files, downloads, parts of files, event streams, web
sockets, pieces of HTML for scripts) reaches the client as the application sent it, and so
does every page of which there is any doubt: each is counted and logged with the reason.

A gate file that changes is read again, tried in full, and put into effect for the next
request; one with a mistake changes nothing and is logged until it is mended. SIGHUP reads
it at once. SIGTERM ends the gateway after the answers that are under way; event streams and sockets end
after --drain-streams. SIGUSR1 turns gating off, so that everything passes as it came, and on again.

Sockets that systemd passes on (LISTEN_FDS) are taken in place of --listen: then a restart refuses nobody.

With several gate files it stands before several sites, distinguished by the host of the request: that of
site.url, and those of site.gateway.hosts; each has a site.origin of its own.

Gateways share nothing: any number of them stand behind any load balancer.`,
		Example: "  yellowgate gateway --origin http://127.0.0.1:8000\n" +
			"  yellowgate gateway --listen 127.0.0.1:8080 --behind-proxy --status 127.0.0.1:9090 --log json\n" +
			"  yellowgate gateway --listen :443 --certificate site.pem --key site.key\n" +
			"  yellowgate gateway hill/yellowgate.yaml shop/yellowgate.yaml --unknown-hosts refuse",
		RunE: func(cmd *cobra.Command, args []string) error {
			gates := args
			if len(gates) == 0 {
				gate, err := a.GateFile()
				if err != nil {
					return err
				}
				gates = []string{gate}
			} else if a.Gate != "" {
				return &failure.Usage{Message: "name the gate files one way: --gate FILE, or as arguments"}
			}
			return a.runGateway(cmd.Context(), gates, &o)
		},
	}
	o.define(cmd)
	return cmd
}

// define gives the command its options.
func (o *gatewayFlags) define(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&o.listen, "listen", "127.0.0.1:8080",
		"the `ADDRESS` to answer at, host and port, or unix:PATH; port 0 is any that is free")
	f.StringVar(&o.origin, "origin", "",
		"the `URL` of the application, or unix:PATH (default: the gate file's site.origin)")
	f.StringVar(&o.unknown, "unknown-hosts", "pass",
		"what becomes of requests for a host that no site has, as `WORD`: pass (to the first site), refuse")
	f.StringVar(&o.status, "status", "", "answer at this `ADDRESS` with /metrics (Prometheus text format) and /health")
	f.StringVar(&o.log, "log", "text",
		"the `FORM` of the log, one line a request: text, json, combined (the common web servers'), off")
	f.StringVar(&o.certificate, "certificate", "",
		"the `FILE` with the site's certificate (PEM); read again when it changes")
	f.StringVar(&o.key, "key", "", "the `FILE` with its key (PEM)")
	f.StringVar(&o.originCA, "origin-ca", "",
		"the `FILE` with the authorities that the application's certificate is checked against (PEM)")
	f.StringVar(&o.largest, "largest", "8 MB", "pages of more than this `SIZE` pass as they came")
	f.StringVar(&o.keep, "keep", "64 MB", "keep gated pages, up to this `SIZE`; 0 for none")
	app.SpanFlag(cmd, &o.pageWait, "page-wait", 10*time.Second,
		"pages whose body takes longer than this `TIME` pass as they come")
	app.SpanFlag(cmd, &o.originWait, "origin-wait", time.Minute, "the `TIME` that the application has to begin an answer")
	app.SpanFlag(cmd, &o.clientWait, "client-wait", time.Minute,
		"the `TIME` that a client has to send or take the next piece")
	app.SpanFlag(cmd, &o.idle, "idle", 2*time.Minute, "the `TIME` after which an unused connection is closed")
	app.SpanFlag(cmd, &o.drain, "drain", 30*time.Second, "the `TIME` that answers under way have at the end")
	app.SpanFlag(cmd, &o.streams, "drain-streams", 2*time.Second,
		"the `TIME` that event streams and sockets have at the end")
	f.IntVar(&o.sample, "log-sample", 1, "log one request of `N`, and each of which an operator wants to know")
	app.SpanFlag(cmd, &o.maxAge, "max-age", 0,
		"caches may keep gated pages for this `TIME` at most; 0s leaves what the application says")
	f.StringVar(&o.header, "largest-header", "64 KiB", "refuse requests with a head of more than this `SIZE`")
	f.StringVar(&o.request, "largest-request", "0", "refuse requests with a body of more than this `SIZE`; 0 takes any")
	f.StringArrayVar(&o.trusted, "trusted-proxy", nil,
		"keep what proxies with addresses in this `RANGE` say of the client, such as 10.1.0.0/16; may be repeated")
	f.BoolVar(&o.behind, "behind-proxy", false, "trust proxies on this machine and in private networks")
	f.StringVar(&o.only, "for", "", "gate only the pages that this page `QUERY` chooses, by path and file")
	f.StringVar(&o.share, "share", "",
		"gate only for this share of the visitors, as `PERCENT`; a cookie keeps who is in it")
	f.StringArrayVar(&o.headers, "for-header", nil,
		"gate only for requests with this header, `NAME` or 'NAME: VALUE'; may be repeated")
	f.StringArrayVar(&o.cookies, "for-cookie", nil,
		"gate only for visitors with this cookie, `NAME` or NAME=VALUE; may be repeated")
	f.BoolVar(&o.watchOnly, "watch-only", false, "change nothing; log and count what would be done")
	f.BoolVar(&o.timing, "server-timing", false, "tell browsers how long origin and gate took (Server-Timing)")
	for _, name := range []string{"certificate", "key", "origin-ca"} {
		_ = cmd.MarkFlagFilename(name)
	}
}

// runGateway runs a gateway until ctx is done.
func (a command) runGateway(ctx context.Context, gates []string, f *gatewayFlags) error {
	sites, err := a.gatewaySites(gates, f)
	if err != nil {
		return err
	}
	certificates, err := certificatesOf(f)
	if err != nil {
		return err
	}
	l, err := gatewayListener(f.listen)
	if err != nil {
		return err
	}
	defer l.Close()
	if slices.ContainsFunc(sites, func(o *gateway.Options) bool {
		return o.Socket == "" && o.Origin.Host == l.Addr().String()
	}) {
		return &failure.Usage{
			Message: "the origin is the gateway's own address: it would ask itself for ever",
			Remedy:  "name the application's address: --origin URL",
		}
	}
	header, err := sizeOf("--largest-header", f.header)
	if err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	gw := startGateways(ctx, sites)
	gw.Refuse = f.unknown == "refuse"
	switchOnSignal(ctx, gw, a.switched(sites[0].Log))
	server := &http.Server{Handler: gw, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: f.idle,
		MaxHeaderBytes: int(header), ErrorLog: log.New(io.Discard, "", 0)}
	if f.status != "" {
		status, err := serveStatus(f, gw)
		if err != nil {
			return err
		}
		defer status.Close()
	}
	a.Tidies()
	if !a.Quiet {
		a.tellStanding(l.Addr(), certificates, sites, f)
	}
	under := gateway.NewConnections(server)
	go func() { <-ctx.Done(); l.Close() }() // what has been taken is answered
	if certificates != nil {
		server.TLSConfig = &tls.Config{GetCertificate: certificates.get}
		err = server.ServeTLS(l, "", "")
	} else {
		err = server.Serve(l)
	}
	if ctx.Err() == nil {
		return &failure.Path{Path: f.listen, Err: err}
	}
	if !gw.End(server, under, f.streams, f.drain) && !a.Quiet {
		a.Messages().Notice("answers under way were cut after %s (--drain)", app.Span{Duration: &f.drain})
	}
	return nil
}

// startGateways makes the gateways of the sites, whose gate files are read again when they change until ctx is done.
func startGateways(ctx context.Context, sites []*gateway.Options) *gateway.Sites {
	gw := &gateway.Sites{}
	seen := gateway.NewSeen()
	for _, o := range sites {
		o.Seen = seen
		gw.List = append(gw.List, gateway.New(*o))
		o.Gate.Run(ctx)
		readOnHangup(ctx, o.Gate)
	}
	return gw
}

// serveStatus answers how the gateways are, at an address of its own, which f.status says then.
func serveStatus(f *gatewayFlags, gw *gateway.Sites) (*http.Server, error) {
	l, err := app.ListenAt(f.status)
	if err != nil {
		return nil, err
	}
	s := &http.Server{Handler: gw.Status(), ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "", 0)}
	go func() { _ = s.Serve(l) }()
	f.status = l.Addr().String()
	return s, nil
}

// tellStanding says where a gateway answers, and before what it stands.
func (a command) tellStanding(at net.Addr, certificates *certificates, sites []*gateway.Options, f *gatewayFlags) {
	address := scheme(certificates) + "://" + at.String()
	if at.Network() == "unix" {
		address = "unix:" + at.String()
	}
	var origins []string
	for _, o := range sites {
		origin := o.Origin.String()
		if o.Socket != "" {
			origin = "unix:" + o.Socket
		}
		origins = append(origins, origin)
	}
	a.Printer().StandingBefore(address, strings.Join(origins, ", "), f.status)
}

// gatewaySites are the options of the sites that a gateway stands before.
func (a command) gatewaySites(gates []string, f *gatewayFlags) (sites []*gateway.Options, err error) {
	if f.unknown != "pass" && f.unknown != "refuse" {
		return nil, &failure.Usage{Message: fmt.Sprintf("--unknown-hosts is pass or refuse, not %q", f.unknown)}
	}
	if len(gates) > 1 && f.origin != "" {
		return nil, &failure.Usage{
			Message: "--origin is of one site, and there are several",
			Remedy:  "give each gate file a site.origin",
		}
	}
	for _, gate := range gates {
		o, err := a.gatewayOptions(gate, f)
		if err != nil {
			return nil, err
		}
		sites = append(sites, o)
	}
	return sites, nil
}

// gatewayOptions are the options of a gateway, with its gate opened.
func (a command) gatewayOptions(gate string, f *gatewayFlags) (o *gateway.Options, err error) {
	o = &gateway.Options{Wait: f.pageWait, Client: f.clientWait, Timing: f.timing, WatchOnly: f.watchOnly,
		MaxAge: f.maxAge}
	if o.Trusted, err = trustedProxies(f); err != nil {
		return nil, err
	}
	if o.For, err = chosenBy(f); err != nil {
		return nil, err
	}
	if o.Request, err = sizeOf("--largest-request", f.request); err != nil {
		return nil, err
	}
	if o.Largest, err = sizeOf("--largest", f.largest); err != nil {
		return nil, err
	}
	if o.Keep, err = sizeOf("--keep", f.keep); err != nil {
		return nil, err
	}
	if f.pageWait <= 0 || f.originWait <= 0 || f.clientWait < 0 || f.drain < 0 || f.streams < 0 || f.idle < 0 ||
		o.Largest == 0 {
		return nil, &failure.Usage{
			Message: "--page-wait, --origin-wait and --largest are more than nothing, and no time is less",
			Remedy:  "times are like 250ms, 8s or 2min",
		}
	}
	lines, err := a.gatewayLog(f, o)
	if err != nil {
		return nil, err
	}
	digest := "" // of the gate that was told of last
	o.Gate = reload.Open(reload.Options{Gate: gate,
		Project: project.Options{Day: a.Day, Outside: a.Outside, TreeCost: gateway.TreeCost},
		Told:    func(s *reload.Reading) { a.gateRead(lines, s, &digest) }})
	if err := o.Gate.Now().Err; err != nil {
		var ge *project.GateError
		if !errors.As(err, &ge) {
			return nil, err
		}
		return nil, &failure.Usage{
			Message: "the gate file has mistakes; the gateway will not start",
			Remedy:  "yellowgate check says the same until they are mended",
		}
	}
	address := f.origin
	if address == "" {
		address = o.Gate.Now().Project.Gate.File.Site.Origin.Value
	}
	if socket, at := strings.CutPrefix(address, "unix:"); at {
		o.Socket, address = socket, "http://localhost"
	}
	if o.Origin, err = originOf(address); err != nil {
		return nil, err
	}
	o.Transport, err = originTransport(f, o.Socket)
	return o, err
}

// gatewayLog gives a gateway its log. lines takes what happens to the gate; nil for nothing.
func (a command) gatewayLog(f *gatewayFlags, o *gateway.Options) (lines *slog.Logger, err error) {
	switch f.log {
	case "text", "combined":
		lines = slog.New(slog.NewTextHandler(a.Err, nil))
	case "json":
		lines = slog.New(slog.NewJSONHandler(a.Err, nil))
	case "off":
	default:
		return nil, &failure.Usage{Message: fmt.Sprintf("--log is text, json, combined or off, not %q", f.log)}
	}
	switch {
	case a.Quiet || lines == nil: // what happens to the gate is still told
	case f.log == "combined":
		o.Log = &gateway.Combined{W: a.Err}
	default:
		o.Log = gateway.Structured{Logger: lines}
	}
	if f.sample < 1 {
		return nil, &failure.Usage{Message: fmt.Sprintf("--log-sample is a number from 1, not %d", f.sample)}
	}
	if f.sample > 1 && o.Log != nil {
		o.Log = &gateway.Sample{Log: o.Log, Every: int64(f.sample)}
	}
	return lines, nil
}

// trustedProxies are the ranges in which proxies stand that are trusted.
func trustedProxies(f *gatewayFlags) (out []netip.Prefix, err error) {
	if f.behind {
		out = append(out, gateway.Private...)
	}
	for _, text := range f.trusted {
		p, err := netip.ParsePrefix(text)
		if a, err2 := netip.ParseAddr(text); err2 == nil {
			p, err = netip.PrefixFrom(a, a.BitLen()), nil
		}
		if err != nil {
			return nil, &failure.Usage{
				Message: fmt.Sprintf("--trusted-proxy is an address or a range of addresses, not %q", text),
				Remedy:  "--trusted-proxy 10.1.0.0/16",
			}
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// chosenBy says for what and whom the gate is tried.
func chosenBy(f *gatewayFlags) (c gateway.Chosen, err error) {
	if f.only != "" {
		if c.Pages, err = options.AddressQuery("--for", f.only, nil); err != nil {
			return c, err
		}
	}
	for _, text := range f.headers {
		c.Headers = append(c.Headers, gateway.NamedOf(text, ":"))
	}
	for _, text := range f.cookies {
		c.Cookies = append(c.Cookies, gateway.NamedOf(text, "="))
	}
	if f.share != "" {
		c.Share, err = strconv.Atoi(strings.TrimSuffix(f.share, "%"))
		if err != nil || c.Share < 1 || c.Share > 99 {
			return c, &failure.Usage{
				Message: fmt.Sprintf("--share is a percentage from 1 to 99, not %q", f.share),
				Remedy:  "--share 10%",
			}
		}
	}
	return c, nil
}

// gatewayListener is where the gateway answers: a socket that systemd passes on (sd_listen_fds), a unix socket, or an
// address.
func gatewayListener(address string) (net.Listener, error) {
	given, err := activation.Listeners()
	if err == nil && len(given) > 0 && given[0] != nil {
		return given[0], nil
	}
	path, isSocket := strings.CutPrefix(address, "unix:")
	if !isSocket {
		return app.ListenAt(address)
	}
	if info, err := os.Lstat(path); err == nil && info.Mode()&os.ModeSocket != 0 {
		if c, err := net.Dial("unix", path); err == nil {
			c.Close()
			return nil, &failure.Usage{Message: path + " is taken: another program answers there"}
		}
		_ = os.Remove(path) // of a program that went
	}
	l, err := net.Listen("unix", path)
	if err != nil {
		return nil, &failure.Path{Path: path, Err: err}
	}
	return l, nil
}

// switchOnSignal turns gating off at SIGUSR1, and on again at the next, until ctx is done.
func switchOnSignal(ctx context.Context, gw *gateway.Sites, told func(off bool)) {
	again := make(chan os.Signal, 1)
	signal.Notify(again, syscall.SIGUSR1)
	go func() {
		defer signal.Stop(again)
		for {
			select {
			case <-again:
				gw.Switch(!gw.Off())
				told(gw.Off())
			case <-ctx.Done():
				return
			}
		}
	}()
}

// switched tells that gating was turned off, or on again.
func (a command) switched(lines gateway.Log) func(off bool) {
	return func(off bool) {
		text := "gating is on again"
		if off {
			text = "gating is off: everything passes as it came, until the next SIGUSR1"
		}
		if sample, ok := lines.(*gateway.Sample); ok {
			lines = sample.Log
		}
		if s, ok := lines.(gateway.Structured); ok {
			s.Warn(text)
		} else {
			a.Messages().Notice("%s", text)
		}
	}
}

// readOnHangup reads the gate file again at every SIGHUP, until ctx is done.
func readOnHangup(ctx context.Context, g *reload.Watcher) {
	again := make(chan os.Signal, 1)
	signal.Notify(again, syscall.SIGHUP)
	go func() {
		defer signal.Stop(again)
		for {
			select {
			case <-again:
				g.Again()
			case <-ctx.Done():
				return
			}
		}
	}()
}

func scheme(c *certificates) string {
	if c != nil {
		return "https"
	}
	return "http"
}

// sizeOf reads a size such as "8 MB" or "64MB".
func sizeOf(option, text string) (int64, error) {
	n, ok := gatefile.ParseSize(text)
	if !ok {
		return 0, &failure.Usage{
			Message: fmt.Sprintf("%s is %s, not %q", option, gatefile.SizeForm, text),
			Remedy:  option + " '8 MB'",
		}
	}
	return n, nil
}

// originOf reads the address of an application.
func originOf(text string) (*url.URL, error) {
	if text == "" {
		return nil, &failure.Usage{
			Message: "gateway needs the address of the application that makes the pages",
			Remedy:  "add under site: origin: http://127.0.0.1:8000, or give --origin",
		}
	}
	u, err := url.Parse(text)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Trim(u.Path, "/") != "" ||
		u.RawQuery != "" ||
		u.User != nil {
		return nil, &failure.Usage{
			Message: fmt.Sprintf("--origin is the scheme, host and port of an application, not %q", text),
			Remedy:  "--origin http://127.0.0.1:8000",
		}
	}
	return u, nil
}

// originTransport asks an application.
func originTransport(f *gatewayFlags, socket string) (http.RoundTripper, error) {
	var roots *x509.CertPool
	if f.originCA != "" {
		pem, err := fsys.Read(f.originCA, fsys.GateLimit)
		if err != nil {
			return nil, &failure.Path{Path: f.originCA, Err: err}
		}
		if roots = x509.NewCertPool(); !roots.AppendCertsFromPEM(pem) {
			return nil, &failure.Usage{
				Message: f.originCA + " holds no certificate",
				Remedy:  "it is a file of PEM blocks: -----BEGIN CERTIFICATE-----",
			}
		}
	}
	return gateway.NewTransport(f.originWait, &tls.Config{RootCAs: roots}, socket), nil
}

// certificates are the site's own, read again when their files change.
type certificates struct {
	cert, key string

	mu   sync.Mutex
	was  [2]fsys.Stamp
	pair *tls.Certificate
	at   time.Time
}

func certificatesOf(f *gatewayFlags) (*certificates, error) {
	if f.certificate == "" && f.key == "" {
		return nil, nil
	}
	if f.certificate == "" || f.key == "" {
		return nil, &failure.Usage{Message: "--certificate and --key belong together"}
	}
	c := &certificates{cert: f.certificate, key: f.key}
	for _, name := range []string{c.cert, c.key} {
		if _, err := os.Stat(name); err != nil {
			return nil, &failure.Path{Path: name, Err: err}
		}
	}
	if _, err := c.get(nil); err != nil {
		return nil, &failure.Usage{
			Message: c.cert + ": " + err.Error(),
			Remedy:  "both are PEM files, and the key is that of the certificate",
		}
	}
	return c, nil
}

// get returns the certificate; it looks once a second whether there is another. One that cannot be
// read changes nothing.
func (c *certificates) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.pair != nil && time.Since(c.at) < time.Second {
		return c.pair, nil
	}
	c.at = time.Now()
	var now [2]fsys.Stamp
	for i, name := range []string{c.cert, c.key} {
		if info, err := os.Stat(name); err == nil {
			now[i] = fsys.StampOf(info)
		}
	}
	if c.pair != nil && slices.Equal(now[:], c.was[:]) {
		return c.pair, nil
	}
	pair, err := tls.LoadX509KeyPair(c.cert, c.key)
	if err != nil {
		if c.pair != nil {
			return c.pair, nil
		}
		return nil, err
	}
	c.pair, c.was = &pair, now
	return c.pair, nil
}

// gateRead tells what a reading of the gate file came to.
func (a command) gateRead(lines *slog.Logger, s *reload.Reading, digest *string) {
	var ge *project.GateError
	errors.As(s.Err, &ge)
	if lines == nil || s.Number == 1 {
		if s.Err == nil {
			*digest = s.Project.Digest
		}
		if ge != nil {
			problem.Sort(ge.Problems)
			a.Messages().Problems(ge.Problems, a.Verbose)
		} else if s.Number > 1 && s.Err != nil {
			a.Messages().Failure(s.Err.Error(), "")
		}
		return
	}
	switch {
	case ge != nil:
		for _, p := range ge.Problems {
			if p.Severity == problem.Error {
				lines.Error("the gate file has a mistake; the last good one stays in effect", "at", p.Pos.String(),
					"mistake", report.Clean(p.Message), "remedy", report.Clean(p.Remedy))
			}
		}
	case s.Err != nil:
		lines.Error("the gate file cannot be read; the last good one stays in effect", "error",
			report.Clean(s.Err.Error()))
	case s.Project.Digest == *digest:
		lines.Info("the gate file was read again; nothing has changed", "digest", s.Project.Digest)
	default:
		lines.Info("another gate is in effect", "digest", s.Project.Digest, "day", s.Day)
	}
	if s.Err == nil {
		*digest = s.Project.Digest
	}
}
