package loading

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var wrongIntegrity = &check.Check{
	Name: "wrong-integrity", Family: "loading", Severity: problem.Error,
	Title: "integrity does not match the file",
	Doc: `The browser compares and refuses the file: the script or stylesheet does not load at
all. Mostly the file was changed and the digest was not. For files of the site:
integrity: auto.`,
	Bad: "-- site/js/site.js --\nsite();\n-- site/visit/index.html --\n" +
		"<script src=\"/js/site.js\" integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\" defer></script>",
	Good: "-- yellowgate.yaml --\nitems:\n  site-script: {script: /js/site.js, integrity: auto, pages: all}\n" +
		"-- site/js/site.js --\nsite();\n-- site/visit/index.html --\n<p>Visit us.</p>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || e.Party != "own" || !e.IsScript() && !e.IsStylesheet() || p.Site == nil ||
				p.Site.Read == nil {
				continue
			}
			value, ok := markup.AttrValue(p.Source.Text, e.El.Start, "integrity")
			if !ok || strings.TrimSpace(value) == "" {
				continue
			}
			if b, ok := p.Site.Read(e.Ref.Path); ok && !matchesDigest(b, value) {
				p.At(e, "integrity does not match "+e.Ref.Path+": browsers refuse the file",
					"integrity: auto makes it from the file")
			}
		}
	},
}

// matchesDigest compares a file with an integrity value: the strongest kind of
// digest in it counts (Subresource Integrity, 3.3.3).
func matchesDigest(b []byte, value string) bool {
	best, known := 0, false
	ok := false
	for d := range strings.FieldsSeq(value) {
		kind, sum, _ := strings.Cut(d, "-")
		sum, _, _ = strings.Cut(sum, "?")
		have, rank := "", 0
		switch kind {
		case "sha256":
			h := sha256.Sum256(b)
			have, rank = base64.StdEncoding.EncodeToString(h[:]), 1
		case "sha384":
			h := sha512.Sum384(b)
			have, rank = base64.StdEncoding.EncodeToString(h[:]), 2
		case "sha512":
			h := sha512.Sum512(b)
			have, rank = base64.StdEncoding.EncodeToString(h[:]), 3
		default:
			continue
		}
		known = true
		if rank > best {
			best, ok = rank, false
		}
		ok = ok || rank == best && have == sum
	}
	return ok || !known
}
