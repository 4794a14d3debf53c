package check

import (
	"bytes"
	"path"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/inventory"
)

// Pages that nobody looks for: those that lead elsewhere at once, and those that a server shows
// in place of one that is not there.

// LeadsAway reports whether the page takes visitors to another at once: by a refresh after no
// time, or by an inline script on a page that has little else.
func (p *Pass) LeadsAway() bool {
	if p.leads == 0 {
		p.leads = 1
		if p.Page.Redirect || p.byScript() {
			p.leads = 2
		}
	}
	return p.leads == 2
}

// movesOn finds a script that goes to another address.
var movesOn = regexp.MustCompile(
	`(?:^|[;{}\s])(?:window\.|document\.|self\.|top\.)?location(?:\.href)?\s*=[^=]|(?:^|[;{}\s.])location\.(?:replace|assign)\(`)

// littleElse is how many bytes of body and of script a page may have that only leads away.
const littleElse = 1200

func (p *Pass) byScript() bool {
	if p.Scan == nil || p.Scan.BodyStop-max(p.Scan.BodyBegin, 0) > littleElse || p.Frameset {
		return false
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if !Own(e) || !e.IsScript() || e.Party != "inline" || e.Runs != "blocking" || e.Bytes > littleElse {
			continue
		}
		if text := p.Source.Text[e.El.TagEnd:e.El.ContentEnd]; movesOn.Match(text) &&
			!strings.Contains(string(text), "addEventListener") {
			return true
		}
	}
	return false
}

// Aside reports whether nobody finds the page by a search or a sitemap.
func (p *Pass) Aside() bool {
	return p.LeadsAway() || isErrorPage(p.Path) || p.Page.Status() >= 400 || p.Template()
}

// beginsTemplate reports whether a file begins as a generator's template does: with settings between lines of dashes,
// or with what the generator fills in, behind comments at most.
func beginsTemplate(text []byte) bool {
	text = bytes.TrimPrefix(text[:min(len(text), 4096)], []byte("\ufeff"))
	if bytes.HasPrefix(text, []byte("---\n")) || bytes.HasPrefix(text, []byte("---\r\n")) {
		return true
	}
	for {
		text = bytes.TrimLeft(text, " \t\r\n\f")
		if !bytes.HasPrefix(text, []byte("<!--")) {
			break
		}
		_, text, _ = bytes.Cut(text, []byte("-->"))
	}
	return slices.ContainsFunc(templateTags, func(tag string) bool { return bytes.HasPrefix(text, []byte(tag)) })
}

var templateTags = []string{"{%", "{{", "{#", "<%", "<?php", "<?="}

// Unfilled are parts of an address that a generator fills in.
var Unfilled = regexp.MustCompile(`\{\{|\{%|<%|\$\{`)

// Template reports whether the file is a generator's template and no page of the site. What a gate is
// put into is a page.
func (p *Pass) Template() bool {
	if p.Gated != nil && !p.Fragment {
		return false
	}
	return beginsTemplate(p.Source.Text) || p.Fragment && slices.ContainsFunc(p.Elements, func(e inventory.Element) bool {
		return e.URL != "" && Unfilled.MatchString(e.URL)
	})
}

// isErrorPage reports whether a page is one that servers show in place of another.
func isErrorPage(pagePath string) bool {
	switch strings.TrimSuffix(path.Base(strings.TrimSuffix(pagePath, "/")), ".html") {
	case "404", "403", "410", "500", "502", "503", "50x":
		return true
	}
	return false
}
