// Package auditparts is the form of a part of an audit: lines of JSON, a head, the pages in order, an end.
package auditparts

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/version"
)

// Format is the version of the form.
const Format = "yellowgate.audit-part/1"

// Head is the first line of a part.
type Head struct {
	Format  string `json:"format"`
	Version string `json:"version"`
	Part    int    `json:"part"`
	Of      int    `json:"of"`
	Folder  string `json:"folder"`  // as it was named; "" for the output of the gate file
	Gate    string `json:"gate"`    // digest of the gate, or ""
	Site    string `json:"site"`    // digest of the names and sizes of all files, and of what all pages depend on
	Records bool   `json:"records"` // the pages' records are there
}

// Page is a page of a part.
type Page struct {
	*audit.PageResult
	Record   *inventory.Record `json:"record,omitempty"`
	Verdicts []result.Gated    `json:"verdicts,omitempty"`
	// What a saved record does not keep of its elements: what they say, and the files that
	// stylesheets name, by the element's number.
	Labels []string              `json:"labels,omitempty"`
	Files  map[int][]namedImport `json:"files,omitempty"`
}

type namedImport struct {
	inventory.Import
	Named bool `json:"named,omitempty"`
}

// Keep takes a record into the line.
func (l *Page) Keep(r *inventory.Record) {
	l.Record = r
	for i := range r.Elements {
		e := &r.Elements[i]
		l.Labels = append(l.Labels, e.Label)
		for _, f := range e.Files {
			if l.Files == nil {
				l.Files = map[int][]namedImport{}
			}
			l.Files[i] = append(l.Files[i], namedImport{f, f.Named})
		}
	}
}

// Restore makes the record what it was.
func (l *Page) Restore() {
	l.Record.Restore()
	for i := range min(len(l.Labels), len(l.Record.Elements)) {
		e := &l.Record.Elements[i]
		e.Label = l.Labels[i]
		for _, f := range l.Files[i] {
			f.Import.Named = f.Named
			e.Files = append(e.Files, f.Import)
		}
	}
}

// end is the last line of a part.
type end struct {
	End    int    `json:"end"`    // pages
	Digest string `json:"digest"` // XXH3 of all lines before, 128 bits
}

// A Writer writes a part.
type Writer struct {
	w   *bufio.Writer
	sum *xxh3.Hasher
}

// NewWriter begins a part with its head, whose form and version it sets.
func NewWriter(w io.Writer, head Head) (*Writer, error) {
	l := &Writer{w: bufio.NewWriter(w), sum: xxh3.New()}
	head.Format, head.Version = Format, version.Number
	return l, l.put(head)
}

// Put writes a page.
func (l *Writer) Put(page Page) error { return l.put(page) }

// End ends the part, of so many pages.
func (l *Writer) End(pages int) error {
	if err := l.put(end{pages, digestOf(l.sum)}); err != nil {
		return err
	}
	return l.w.Flush()
}

func (l *Writer) put(v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if err := e.Encode(v); err != nil {
		return err
	}
	l.sum.Write(b.Bytes())
	_, err := l.w.Write(b.Bytes())
	return err
}

func digestOf(sum *xxh3.Hasher) string { return fmt.Sprintf("%x", sum.Sum128().Bytes()) }

// A File is a part that was read up to a line.
type File struct {
	Head
	Name string // of the file
	f    *os.File
	r    *bufio.Reader
	line int
	sum  *xxh3.Hasher
}

// Wrong is the error of a line that is not as it was written.
func (p *File) Wrong(format string, args ...any) error {
	return &failure.Usage{Message: fmt.Sprintf("%s:%d: ", p.Name, p.line) + fmt.Sprintf(format, args...),
		Remedy: "run this part of the audit again: yellowgate audit --part " +
			site.Part{Number: max(p.Part, 1), Of: max(p.Of, p.Part, 1)}.String() + " --out " + p.Name}
}

// Rewind goes to the first line.
func (p *File) Rewind() error {
	if _, err := p.f.Seek(0, io.SeekStart); err != nil {
		return &failure.Path{Path: p.Name, Err: err}
	}
	if p.r == nil {
		p.r = bufio.NewReaderSize(p.f, 1<<16)
	}
	p.r.Reset(p.f)
	p.line, p.sum = 0, xxh3.New()
	_, err := p.next()
	return err
}

// next reads a line.
func (p *File) next() ([]byte, error) {
	p.line++
	var line []byte
	for {
		more, err := p.r.ReadSlice('\n')
		line = append(line, more...)
		switch {
		case err == nil:
			p.sum.Write(line)
			return line, nil
		case errors.Is(err, bufio.ErrBufferFull) && len(line) < mostLine:
		case errors.Is(err, io.EOF):
			return nil, p.Wrong("the part is incomplete: it was not written to its end")
		case err != nil && !errors.Is(err, bufio.ErrBufferFull):
			return nil, &failure.Path{Path: p.Name, Err: err}
		default:
			return nil, p.Wrong("the line is longer than %d MB", mostLine>>20)
		}
	}
}

// mostLine is how long a line of a part may be, in bytes.
const mostLine = 256 << 20

// Open opens a part and reads its head.
func Open(name string) (*File, error) {
	f, _, err := fsys.Open(name)
	if err != nil {
		return nil, &failure.Path{
			Path: name,
			Err:  err,
			What: "name the files that yellowgate audit --part N/M --out FILE wrote",
		}
	}
	p := &File{Name: name, f: f, r: bufio.NewReaderSize(f, 1<<16), sum: xxh3.New()}
	line, err := p.next()
	if err == nil &&
		(json.Unmarshal(line, &p.Head) != nil || !strings.HasPrefix(p.Format,
			"yellowgate.audit-part/") || p.Part < 1 || p.Of < p.Part || p.Of > site.MostParts) {
		p.Head = Head{}
		err = fmt.Errorf("no part")
	}
	if err != nil {
		f.Close()
		return nil, &failure.Usage{
			Message: name + " is not a part of an audit",
			Remedy:  "parts are written by yellowgate audit --part N/M --out FILE",
		}
	}
	return p, nil
}

// Close closes the file.
func (p *File) Close() { p.f.Close() }

// OtherVersion is the error of a part that another version of the program wrote; nil for none.
func (p *File) OtherVersion() error {
	if p.Version == version.Number && p.Format == Format {
		return nil
	}
	return &failure.Usage{
		Message: fmt.Sprintf("%s was made by version %s of yellowgate, and this is %s", p.Name, p.Version, version.Number),
		Remedy:  "audit all parts and join them with one version",
	}
}

// Read reads the next line, of a page.
func (p *File) Read(into any) error {
	b, err := p.next()
	if err != nil {
		return err
	}
	if err := json.Unmarshal(b, into); err != nil {
		return p.Wrong("the line cannot be read: %v", err)
	}
	return nil
}

// End reads the last line, and is the error of a part that was changed or goes on.
func (p *File) End() error {
	digest := digestOf(p.sum)
	line, err := p.next()
	if err != nil {
		return err
	}
	var last end
	if json.Unmarshal(line, &last) != nil || last.Digest == "" {
		return p.Wrong("the part has more pages than the folder has for it")
	}
	if last.Digest != digest {
		return p.Wrong("the part was changed since it was written")
	}
	if rest, _ := p.r.Peek(1); len(rest) > 0 {
		return p.Wrong("the part goes on after its end")
	}
	return nil
}
