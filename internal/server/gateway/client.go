package gateway

import (
	"crypto/rand"
	"encoding/hex"
	"net"
	"net/http"
	"net/http/httputil"
	"net/netip"
	"regexp"
	"slices"
	"strings"
)

// Who is asking: what proxies before this one say of it counts, and what anybody else says does not.

// Private are the loopback, private and link-local ranges, and unix sockets (RFC 6890).
var Private = []netip.Prefix{
	netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("172.16.0.0/12"),
	netip.MustParsePrefix("192.168.0.0/16"), netip.MustParsePrefix("169.254.0.0/16"), netip.MustParsePrefix("::1/128"),
	netip.MustParsePrefix("fc00::/7"), netip.MustParsePrefix("fe80::/10"),
}

// trusts reports whether a peer, a host and a port, is a proxy that is trusted. A unix socket has no such address: only
// who may open it is there.
func (g *Gateway) trusts(peer string) bool {
	at, err := netip.ParseAddrPort(peer)
	if err != nil {
		return len(g.Trusted) > 0
	}
	return g.trustsAddress(at.Addr())
}

func (g *Gateway) trustsAddress(a netip.Addr) bool {
	return slices.ContainsFunc(g.Trusted, func(p netip.Prefix) bool { return p.Contains(a.Unmap()) })
}

// clientOf is the address of whoever asks: that of the peer or, where that is a trusted proxy, the last in
// X-Forwarded-For that is none.
func (g *Gateway) clientOf(r *http.Request) string {
	client, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		client = "unknown"
	}
	if !g.trusts(r.RemoteAddr) {
		return client
	}
	list := strings.Split(strings.Join(r.Header["X-Forwarded-For"], ","), ",")
	for _, name := range slices.Backward(list) {
		a, err := netip.ParseAddr(strings.TrimSpace(name))
		if err != nil {
			break
		}
		client = a.String()
		if !g.trustsAddress(a) {
			break
		}
	}
	return client
}

// idOf is the id of a request: that which it has, or a new one.
func idOf(r *http.Request) string {
	if id := r.Header.Get("X-Request-Id"); requestID.MatchString(id) {
		return id
	}
	var b [12]byte
	_, _ = rand.Read(b[:]) // never fails
	return hex.EncodeToString(b[:])
}

var requestID = regexp.MustCompile(`^[A-Za-z0-9._:/+=-]{1,128}$`)

// forward says for whom the request is made (RFC 7239, and the fields that came before it).
func (g *Gateway) forward(pr *httputil.ProxyRequest) {
	names := []string{"X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Forwarded-Port", "X-Real-Ip"}
	trusted := g.trusts(pr.In.RemoteAddr)
	if trusted {
		pr.Out.Header["X-Forwarded-For"] = pr.In.Header["X-Forwarded-For"]
	} else {
		for name := range pr.Out.Header {
			if speaksForProxies(name) {
				delete(pr.Out.Header, name)
			}
		}
	}
	before := pr.Out.Header["X-Forwarded-For"]
	if pr.SetXForwarded(); trusted && pr.Out.Header["X-Forwarded-For"] == nil {
		pr.Out.Header["X-Forwarded-For"] = before // a unix socket has no address that could be added
	}
	pr.Out.Header.Set("X-Forwarded-Host", pr.Out.Host)
	client, _, err := net.SplitHostPort(pr.In.RemoteAddr)
	if err != nil {
		client = "unknown"
	}
	pr.Out.Header.Set("X-Real-Ip", client)
	pr.Out.Header.Set("X-Forwarded-Port", portOf(pr.Out.Host, pr.In.TLS != nil))
	node := client
	if strings.Contains(client, ":") {
		node = `"[` + client + `]"`
	}
	scheme := "http"
	if pr.In.TLS != nil {
		scheme = "https"
	}
	forwarded := "for=" + node + ";host=" + quoted(pr.Out.Host) + ";proto=" + scheme
	if trusted {
		for _, name := range names[1:] {
			if v := pr.In.Header[name]; len(v) > 0 {
				pr.Out.Header[name] = v
			}
		}
		if before := pr.In.Header["Forwarded"]; len(before) > 0 {
			forwarded = strings.Join(before, ", ") + ", " + forwarded
		}
	}
	pr.Out.Header.Set("Forwarded", forwarded)
}

// speaksForProxies reports whether a field says for whom a request is made, where it was sent or by whom, as
// a proxy would: from a client it is a forgery. A name with an underscore is the same as one with a hyphen
// to many applications (RFC 3875, 4.1.18), and goes whatever it is.
func speaksForProxies(name string) bool {
	return strings.ContainsRune(name, '_') || ofProxies.MatchString(name)
}

var ofProxies = regexp.MustCompile(
	`(?i)^(x-)?(forwarded|original|rewrite|real)(-|$)|client-?ip$|connecting-ip$|client-(host|verify|cert)|^proxy$|^front-end-https$|^x-((url-)?scheme|host|remote-.*|ssl-.*)$`)

// portOf is the port that a client went to.
func portOf(host string, secure bool) string {
	if _, port, err := net.SplitHostPort(host); err == nil {
		return port
	}
	if secure {
		return "443"
	}
	return "80"
}

// quoted is a value as a token, or as a quoted string where it is none (RFC 9110, 5.6).
func quoted(s string) string {
	if s != "" &&
		!strings.ContainsFunc(s,
			func(r rune) bool { return r <= ' ' || r >= 0x7F || strings.ContainsRune(`"(),/:;<=>?@[\]{}`, r) }) {
		return s
	}
	return `"` + quotes.Replace(s) + `"`
}

var quotes = strings.NewReplacer(`\`, `\\`, `"`, `\"`)
