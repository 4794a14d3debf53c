package visits

import (
	"strings"

	"yellowgate/internal/core/har"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// ReadHAR reads a recording for an audit of a site at an address, "" for any: the pages of it.
func ReadHAR(name, address string) ([]*pageload.Record, error) {
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
