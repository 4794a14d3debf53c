package page

import (
	"mime"
	"strings"
)

// An Answer is what the transport says of a page besides its bytes, where a server sent it (RFC
// 9110). A page that is a file has none. Whoever reads, gates or audits a page takes it as a value
// and does not know where it came from.
type Answer struct {
	Status int `json:"status"` // as 200; 0 where it is not known
	// Fields are the fields of the head that mean something to a page, by their names in lower
	// case, each with its lines in order.
	Fields map[string][]string `json:"headers,omitempty"`
	// Path is that of the address that answered, as Clean writes it; "" where it is not known.
	Path string `json:"-"`
}

// Describing are the fields of a head that say what a page is and how it behaves, in lower case: those that a
// server of ours passes on.
var Describing = Meaningful[:6]

// Meaningful are the fields of a head that mean something to a page, in lower case. The others
// concern the connection, caches on the way, or the server.
var Meaningful = []string{
	"content-type", "content-language", "content-security-policy", "x-robots-tag", "link", "refresh",
	"cache-control", "etag", "last-modified", "vary", "content-encoding",
}

// Field is the value of a field, its lines joined (RFC 9110, 5.2); "" for none.
func (a *Answer) Field(name string) string {
	if a == nil {
		return ""
	}
	return strings.Join(a.Fields[name], ", ")
}

// Charset is the label of the encoding that Content-Type names (RFC 9110, 8.3.2); "" for none. It
// counts more than what the page says of itself (HTML, 13.2.3.2), but for a byte order mark.
func (a *Answer) Charset() string {
	if a == nil || len(a.Fields["content-type"]) == 0 {
		return ""
	}
	lines := a.Fields["content-type"]
	_, params, err := mime.ParseMediaType(lines[len(lines)-1])
	if err != nil && params == nil {
		return ""
	}
	return strings.ToLower(strings.TrimSpace(params["charset"]))
}

// Robots lists what X-Robots-Tag asks of every search engine, in lower case: "noindex". A line that
// begins with the name of one asks that alone, and is left out.
func (a *Answer) Robots() (out []string) {
	if a == nil {
		return nil
	}
	for _, line := range a.Fields["x-robots-tag"] {
		line = strings.ToLower(line)
		if name, _, named := strings.Cut(line, ":"); named && !strings.Contains(name, ",") &&
			!valued[strings.TrimSpace(name)] {
			continue
		}
		for rule := range strings.SplitSeq(line, ",") {
			if rule = strings.TrimSpace(rule); rule != "" {
				out = append(out, rule)
			}
		}
	}
	return out
}

// valued are the rules of X-Robots-Tag that have a value after a colon.
var valued = map[string]bool{
	"unavailable_after": true,
	"max-snippet":       true,
	"max-image-preview": true,
	"max-video-preview": true,
}

// IsHTML reports whether the answer says that its body is a page; an answer that does not say, and
// a file, may be one.
func (a *Answer) IsHTML() bool {
	return a == nil || len(a.Fields["content-type"]) == 0 || a.mediaType() == "text/html" || a.IsXML()
}

// IsXML reports whether the answer says that browsers read its page as XML.
func (a *Answer) IsXML() bool { return a.mediaType() == "application/xhtml+xml" }

// mediaType is what the answer says that its body is; "" where it does not say, or not in a form that anybody reads.
func (a *Answer) mediaType() string {
	if a == nil || len(a.Fields["content-type"]) == 0 {
		return ""
	}
	lines := a.Fields["content-type"]
	kind, _, _ := mime.ParseMediaType(lines[len(lines)-1])
	return kind
}
