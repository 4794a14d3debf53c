package fetch

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

	"yellowgate/internal/site"
)

// ReadCookies reads a file of cookies, whose name is for messages: a line for each, with its domain, whether the hosts below
// that have it, too, its path, whether it needs TLS, its end (seconds since 1970; 0 for none), name
// and value. "#" begins a comment, but for "#HttpOnly_", which stands before a domain.
func ReadCookies(name string, text []byte) (http.CookieJar, error) {
	jar, err := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List})
	if err != nil {
		return nil, err
	}
	n := 0
	for line := range strings.Lines(string(text)) {
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
