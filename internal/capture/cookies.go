package capture

import (
	"fmt"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/net/publicsuffix"

	"yellowgate/internal/failure"
)

// An Identity is what a site is told of who asks. It is sent to the origin that is asked, and to nobody
// else; cookies to those whom they are for.
type Identity struct {
	Header  http.Header
	Cookies []*Cookie
}

// A Cookie is one with the host that it is for; hosts below that have it, too, where its Domain is set.
type Cookie struct {
	http.Cookie
	Host string
}

// ReadCookies reads a file of cookies, whose name is for messages: a line for each, with its domain, whether the
// hosts below that have it, too, its path, whether it needs TLS, its end (seconds since 1970; 0 for none), name
// and value. "#" begins a comment, but for "#HttpOnly_", which stands before a domain.
func ReadCookies(name string, text []byte) (list []*Cookie, err error) {
	n := 0
	for line := range strings.Lines(string(text)) {
		n++
		line = strings.TrimRight(line, "\r\n")
		line, only := strings.CutPrefix(line, "#HttpOnly_")
		if strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#") {
			continue
		}
		fields := strings.Split(line, "\t")
		if len(fields) != 7 {
			return nil, &failure.Usage{
				Message: fmt.Sprintf("%s:%d:1: a cookie has seven fields with tabs between them, and this has %d",
					name, n, len(fields)),
				Remedy: "domain, TRUE or FALSE (hosts below it), path, TRUE or FALSE (needs TLS), end, name, value",
			}
		}
		end, err := strconv.ParseInt(fields[4], 10, 64)
		if err != nil {
			return nil, &failure.Usage{
				Message: fmt.Sprintf("%s:%d:%d: the end of a cookie is in seconds since 1970, not %q", name, n,
					utf8.RuneCountInString(strings.Join(fields[:4], "\t"))+2, fields[4]),
				Remedy: "0 stands for the end of the session",
			}
		}
		c := &Cookie{
			http.Cookie{
				Path:     fields[2],
				Secure:   fields[3] == "TRUE",
				HttpOnly: only,
				Name:     fields[5],
				Value:    fields[6],
			},
			strings.TrimPrefix(fields[0], "."),
		}
		if fields[1] == "TRUE" && net.ParseIP(c.Host) == nil {
			c.Domain = c.Host
		}
		if end > 0 {
			c.Expires = time.Unix(end, 0)
		}
		list = append(list, c)
	}
	return list, nil
}

// jar keeps cookies as a browser does (RFC 6265, section 5.3).
func jar(list []*Cookie) (http.CookieJar, error) {
	jar, err := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List})
	if err != nil {
		return nil, err
	}
	for _, c := range list {
		jar.SetCookies(&url.URL{Scheme: "https", Host: c.Host, Path: c.Path}, []*http.Cookie{&c.Cookie})
	}
	return jar, nil
}
