package capture

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// A capture into the folder of an earlier one: what that kept, and what came of it.

// lastTime reads what an earlier capture left in the folder.
func (c *capture) lastTime() error {
	entries, err := fsys.ReadDir(c.Dir)
	if err != nil {
		return &failure.Path{Path: c.Dir, Err: err}
	}
	name := filepath.Join(c.Dir, site.CaptureName)
	_, err = fsys.Lstat(name)
	switch {
	case err != nil && len(entries) > 0:
		return &failure.Usage{
			Message: fmt.Sprintf("the folder %s is not empty, and no capture made it", c.Dir),
			Remedy:  "name a new folder: --to DIR",
		}
	case err != nil: // the folder is a capture's from now on, even if this one is killed
		if err := fsys.Replace(name, nil); err != nil {
			return &failure.Path{Path: name, Err: err}
		}
		return nil
	}
	b, err := fsys.Read(name, fsys.StateLimit)
	if err != nil {
		return &failure.Path{Path: name, Err: err}
	}
	c.before, c.summary.Again = map[string]site.Captured{}, len(b) > 0
	for line := range bytes.Lines(b) {
		var k site.Captured
		if json.Unmarshal(line, &k) != nil {
			continue // it is asked for again
		}
		if k.File != "" && !filepath.IsLocal(filepath.FromSlash(k.File)) {
			continue // no capture wrote that
		}
		c.before[k.URL] = k
	}
	return nil
}

// finish writes what is known of the addresses, removes what is gone, and counts.
func (c *capture) finish() (*Summary, error) {
	s := c.summary
	if s.Pages == 0 && !s.Stopped {
		if c.failed != nil {
			return nil, c.unreachable(c.failed)
		}
		if len(s.Dead) > 0 {
			return nil, &failure.Path{Path: s.Dead[0].URL, Err: errors.New(s.Dead[0].Why), What: "nothing was kept"}
		}
		return nil, &failure.Usage{
			Message: c.Start.Redacted() + " responds with no page",
			Remedy:  "name the address of a page: yellowgate capture URL --to DIR",
		}
	}
	c.circles()
	c.count()
	for i := range c.lines {
		if l := &c.lines[i]; l.Final != "" || l.Status == 0 || l.Status >= 400 {
			from := c.leads(l.URL)
			l.From, l.Links = from.first, from.n
		}
	}
	slices.SortFunc(c.lines, func(a, b site.Captured) int { return cmp.Compare(a.URL, b.URL) })
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	for i := range c.lines {
		if err := e.Encode(&c.lines[i]); err != nil {
			return nil, err
		}
	}
	name := filepath.Join(c.Dir, site.CaptureName)
	if err := fsys.Replace(name, b.Bytes()); err != nil {
		return nil, &failure.Path{
			Path: name,
			Err:  err,
			What: "the pages are kept, and what the server said of them is not",
		}
	}
	for i := range s.Dead {
		s.Dead[i].From = append([]string{}, c.leads(s.Dead[i].URL).first...)
	}
	slices.SortFunc(s.Dead, func(a, b Dead) int { return cmp.Compare(a.URL, b.URL) })
	return s, nil
}

// count compares with an earlier capture. What that kept is gone where the server says so, or where a
// whole capture no longer finds it; anything else stays.
func (c *capture) count() {
	s := c.summary
	there, status := map[string]bool{}, map[string]int{}
	for i := range c.lines {
		l := &c.lines[i]
		status[l.URL] = l.Status
		if l.File == "" {
			continue
		}
		there[l.File] = true
		if !site.IsPage(l.File) || !s.Again {
			continue
		}
		if was, had := c.before[l.URL]; !had || was.File == "" {
			s.Came++
		} else if was.Sum != l.Sum {
			s.Changed++
		}
	}
	stays := map[string]bool{}
	for url, was := range c.before {
		switch {
		case was.File == "" || there[was.File]:
		case !c.gone(url, status):
			stays[url] = true
		default:
			if c.root.Remove(was.File) == nil && site.IsPage(was.File) {
				s.Gone++
			}
		}
	}
	c.lines = slices.DeleteFunc(c.lines, func(l site.Captured) bool { return stays[l.URL] })
	for url := range stays {
		c.lines = append(c.lines, c.before[url])
	}
}

// gone reports whether what an earlier capture kept of an address is there no longer: the server says
// so, or a capture that looked for everything has not found it.
func (c *capture) gone(url string, status map[string]int) bool {
	said, asked := status[url]
	switch {
	case asked:
		return said == http.StatusNotFound || said == http.StatusGone || said >= 300 && said < 400
	case c.leftOut[url]:
		return false
	}
	return !c.summary.Stopped && !c.partly && !c.Alone
}

const circle = "it redirects in a circle"

// circles finds redirects that lead back to where they came from.
func (c *capture) circles() {
	to, status := map[string]string{}, map[string]int{}
	for i := range c.lines {
		l := &c.lines[i]
		if l.Final == "" {
			continue
		}
		if u := c.resolve(l.Final, c.Start); u != nil {
			c.dropQuery(u)
			to[l.URL], status[l.URL] = u.String(), l.Status
		}
	}
	state := map[string]int{} // by address, the walk that met it
	walk := 0
	for _, l := range c.lines {
		walk++
		at := l.URL
		for to[at] != "" && state[at] == 0 {
			state[at] = walk
			at = to[at]
		}
		if to[at] != "" && state[at] == walk {
			c.dead(at, status[at], circle)
			for i := range c.lines {
				if c.lines[i].URL == at {
					c.lines[i].Why = circle
				}
			}
		}
	}
}
