package weburl

import "net/url"

// OriginOf is the scheme, host and port of an address.
func OriginOf(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host
}
