// Package recording reads and writes recordings of what a browser requested for pages (HAR 1.2).
package recording

import (
	"bytes"
	"io"
	"strings"
	"time"

	"yellowgate/internal/core/har"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/version"
)

// Read reads a recording for an audit of a site at an address, "" for any: the pages of it.
func Read(name, address string) ([]*pageload.Record, error) {
	b, err := fsys.Read(name, fsys.StateLimit)
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err}
	}
	list, err := har.Read(b)
	if err != nil {
		return nil, &failure.Path{
			Path: name,
			Err:  err,
			What: "--har takes a recording of a browser: in its network panel, save all as HAR",
		}
	}
	base := weburl.NewSite(address).BasePath()
	for _, r := range list {
		if rest, below := strings.CutPrefix(r.Path, base); below {
			r.Path = page.Clean(rest)
		}
		r.Screen = "recorded"
	}
	return list, nil
}

// Write writes a recording of pages that were opened.
func Write(w io.Writer, pages []*pageload.Record) error {
	text, err := har.Write(pages, version.Number, time.Now().UTC().Truncate(time.Millisecond))
	if err == nil {
		_, err = w.Write(append(text, '\n'))
	}
	return err
}

// IsOurs reports whether a file that begins like this is a recording that Write wrote.
func IsOurs(head []byte) bool { return bytes.Contains(head, []byte("Yellow Gate")) }
