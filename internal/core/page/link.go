package page

import (
	"regexp"
	"strings"
)

// A HeaderLink is one link of the field Link (RFC 8288, 3).
type HeaderLink struct {
	Target string            // as it is written between "<" and ">"
	Params map[string]string // names in lower case; of one that stands twice the first counts
}

// Links lists the links of the field Link, in order. What is no link ends its line, as there is no
// telling where the next begins.
func (a *Answer) Links() (out []HeaderLink) {
	if a == nil {
		return nil
	}
	for _, line := range a.Fields["link"] {
		for rest := line; ; {
			rest = strings.TrimLeft(rest, " \t,")
			if !strings.HasPrefix(rest, "<") {
				break
			}
			target, after, ok := strings.Cut(rest[1:], ">")
			if !ok {
				break
			}
			link := HeaderLink{strings.TrimSpace(target), map[string]string{}}
			rest = link.params(after)
			out = append(out, link)
		}
	}
	return out
}

// params reads the parameters of a link, and returns what stands after its comma.
func (l *HeaderLink) params(text string) (rest string) {
	for {
		text = strings.TrimLeft(text, " \t")
		if !strings.HasPrefix(text, ";") {
			break
		}
		text = strings.TrimLeft(text[1:], " \t")
		end := strings.IndexAny(text, "=;, \t")
		if end < 0 {
			end = len(text)
		}
		name, value := strings.ToLower(text[:end]), ""
		text = strings.TrimLeft(text[end:], " \t")
		if strings.HasPrefix(text, "=") {
			value, text = paramValue(strings.TrimLeft(text[1:], " \t"))
		}
		if _, twice := l.Params[name]; !twice && name != "" {
			l.Params[name] = value
		}
	}
	_, rest, _ = strings.Cut(text, ",")
	return rest
}

// paramValue reads a token or a quoted string (RFC 9110, 5.6.4).
func paramValue(text string) (value, rest string) {
	if !strings.HasPrefix(text, `"`) {
		end := strings.IndexAny(text, ";, \t")
		if end < 0 {
			end = len(text)
		}
		return text[:end], text[end:]
	}
	var b strings.Builder
	for i := 1; i < len(text); i++ {
		switch c := text[i]; c {
		case '"':
			return b.String(), text[i+1:]
		case '\\':
			if i++; i < len(text) {
				b.WriteByte(text[i])
			}
		default:
			b.WriteByte(c)
		}
	}
	return b.String(), ""
}

// Policies are the policies of Content-Security-Policy, one for each line and each comma (CSP 3,
// 2.2.2).
func (a *Answer) Policies() (out []string) {
	if a == nil {
		return nil
	}
	for _, line := range a.Fields["content-security-policy"] {
		for policy := range strings.SplitSeq(line, ",") {
			if policy = strings.TrimSpace(policy); policy != "" {
				out = append(out, policy)
			}
		}
	}
	return out
}

// RefreshTo is the address in the content of a refresh (HTML, 4.2.5.3); "" for none.
func RefreshTo(content string) string {
	m := refreshTo.FindStringSubmatch(content)
	if m == nil {
		return ""
	}
	return m[1] + m[2] + m[3]
}

var refreshTo = regexp.MustCompile(`(?i)^\s*[\d.]+\s*[;,\s]\s*(?:url\s*=\s*)?(?:"([^"]*)"?|'([^']*)'?|(\S.*?))\s*$`)
