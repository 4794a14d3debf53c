package site

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"net/url"
	"path/filepath"

	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

// A Store is where the pages and files of a site come from. What reads, audits and gates them does
// not know where that is.
type Store interface {
	// List lists the files, sorted by path, and besides them what is none or is not followed. skip
	// leaves out what it names, folders with everything in them; it is called from several
	// goroutines.
	List(skip func(path string, dir bool) bool) (files []File, strays []string, err error)
	// ReadInto reads a file of the list. The bytes are good until the buffer is used again.
	ReadInto(buf *Buffer, file string) ([]byte, error)
	// Read reads any file; pages can name anything.
	Read(file string) ([]byte, error)
	// Answer is what the transport said of a file; nil for nothing.
	Answer(file string) *page.Answer
}

// A Folder is a Store on disk: a folder of files, or what capture kept of a site.
type Folder struct {
	Dir   string
	Links bool // links within the folder are followed

	answers map[string]*page.Answer
	lines   []Captured
}

// CaptureName is the name of the file in which a capture keeps what the transport said of its
// files.
const CaptureName = ".yellowgate-capture.ndjson"

// A Captured is a line of that file: one address that was asked for.
type Captured struct {
	URL    string `json:"url"`             // that was asked for, without credentials
	Final  string `json:"final,omitempty"` // that answered, where another did
	File   string `json:"file,omitempty"`  // where the body is kept, relative to the folder; none was for ""
	Status int    `json:"status"`          // 0 where nothing answered
	Why    string `json:"why,omitempty"`   // nothing is there, where the status does not say
	Asked  string `json:"asked,omitempty"` // page or file: what it was asked for as, where no body is kept
	// From are addresses that lead here, three at most, and Links is how many do: of what answers
	// with an error or leads on.
	From   []string            `json:"from,omitempty"`
	Links  int                 `json:"links,omitempty"`
	Time   string              `json:"time"`              // RFC 3339
	Fields map[string][]string `json:"headers,omitempty"` // those that mean something to a page, names in lower case
	Wire   int64               `json:"wire,omitempty"`    // bytes of the body as sent
	Bytes  int64               `json:"bytes,omitempty"`   // and decoded
	Sum    string              `json:"sum,omitempty"`     // digest of the file: XXH3, 128 bits, in hexadecimal
}

// OpenFolder opens a folder; where capture made it, with what that kept besides.
func OpenFolder(dir string, links bool) (*Folder, error) {
	f := &Folder{Dir: dir, Links: links}
	name := filepath.Join(dir, CaptureName)
	b, err := fsys.Read(name, fsys.StateLimit)
	switch {
	case fsys.Missing(err), err != nil && !isFile(name):
		return f, nil
	case err != nil:
		return nil, &failure.Path{Path: name, Err: err}
	}
	f.answers = map[string]*page.Answer{}
	lines := bufio.NewScanner(bytes.NewReader(b))
	lines.Buffer(nil, len(b)+1)
	for n := 1; lines.Scan(); n++ {
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		var c Captured
		if err := json.Unmarshal(lines.Bytes(), &c); err != nil {
			return nil, &failure.Path{
				Path: fmt.Sprintf("%s:%d", name, n),
				Err:  fmt.Errorf("this is not a line of a capture: %w", err),
				What: "capture the site again, or take the file away: then the folder is read as files alone",
			}
		}
		f.lines = append(f.lines, c)
		if c.File != "" {
			f.answers[c.File] = &page.Answer{Status: c.Status, Fields: c.Fields, Path: c.path()}
		}
	}
	return f, nil
}

func isFile(name string) bool {
	info, err := fsys.Lstat(name)
	return err == nil && info.Mode().IsRegular()
}

// List implements Store.
func (f *Folder) List(skip func(path string, dir bool) bool) ([]File, []string, error) {
	return Walk(f.Dir, f.Links, skip)
}

// ReadInto implements Store.
func (f *Folder) ReadInto(buf *Buffer, file string) ([]byte, error) { return buf.ReadFile(f.Dir, file) }

// Read implements Store.
func (f *Folder) Read(file string) ([]byte, error) { return ReadFile(f.Dir, file) }

// Answer implements Store.
func (f *Folder) Answer(file string) *page.Answer { return f.answers[file] }

// Captured lists the addresses that a capture asked for, in order; none where the folder is of
// files alone.
func (f *Folder) Captured() []Captured { return f.lines }

// path is that of the address that answered.
func (c *Captured) path() string {
	u, err := url.Parse(cmp.Or(c.Final, c.URL))
	if err != nil {
		return ""
	}
	path := page.Clean(u.EscapedPath())
	if u.RawQuery != "" {
		path += "?" + page.NormalQuery(u.RawQuery)
	}
	return path
}

// Told gives the pages of a list what the transport said of them.
func Told(pages []page.Page, from Store) []page.Page {
	for i := range pages {
		pages[i].Answer = from.Answer(pages[i].File)
	}
	return Addressed(pages, from)
}

// Addressed gives the pages of a list the addresses at which a server answered with them. A page that is a file
// keeps the one that its name says.
func Addressed(pages []page.Page, from Store) []page.Page {
	for i := range pages {
		pages[i].Called(from.Answer(pages[i].File))
	}
	return pages
}
