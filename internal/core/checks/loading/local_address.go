package loading

import (
	"net/netip"
	"net/url"
	"regexp"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var localAddress = &check.Check{
	Name: "local-address", Family: "loading", Severity: problem.Error,
	Title: "the page loads something from the machine that it was written on",
	Doc: `An address such as file:, a drive letter, localhost or one of a private network is there
for whoever wrote the page, and for nobody else. Write the path within the site.`,
	Bad:  "<script src=\"http://localhost:3000/menu.js\"></script>",
	Good: "<script src=\"/js/menu.js\" defer></script>",
	Page: func(p *check.Pass) {
		for e := range p.All() {
			if !check.Own(e) || e.URL == "" ||
				!e.Loads && e.Party != "third" && !driveLetter.MatchString(e.URL) &&
					!strings.HasPrefix(strings.ToLower(e.URL), "file:") {
				continue
			}
			if what := local(e.URL); what != "" && local("http://"+p.Base.Host()) == "" {
				p.At(e, e.URL+" points at "+what+"; visitors cannot load it", "write the path within the site")
			}
		}
	},
}

var driveLetter = regexp.MustCompile(`^[a-zA-Z]:[\\/]`)

// local says what makes a URL one of a single machine or network; "" for any other.
func local(raw string) string {
	if driveLetter.MatchString(raw) {
		return "the author's own disk"
	}
	u, err := url.Parse(strings.TrimSpace(raw))
	if err != nil {
		return ""
	}
	if strings.EqualFold(u.Scheme, "file") {
		return "the author's own disk"
	}
	host := strings.ToLower(u.Hostname())
	if host == "localhost" || strings.HasSuffix(host, ".localhost") {
		return "the author's own machine"
	}
	if a, err := netip.ParseAddr(host); err == nil {
		switch {
		case a.IsLoopback() || a.IsUnspecified():
			return "the author's own machine"
		case a.IsPrivate() || a.IsLinkLocalUnicast():
			return "an address of a private network"
		}
	}
	return ""
}
