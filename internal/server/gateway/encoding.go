package gateway

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// Content codings (RFC 9110, 8.4.1): those that can be read and written, and which a client takes.

const identity = "identity"

// codings are those besides identity, the best for pages first.
var codings = []string{"br", "zstd", "gzip"}

// coding is the one coding of a body; "" where there are several.
func coding(lines []string) string {
	c := strings.ToLower(strings.TrimSpace(strings.Join(lines, ",")))
	switch c {
	case "":
		return identity
	case "x-gzip":
		return "gzip"
	}
	return c
}

// canRead reports whether a body in these codings can be read.
func canRead(lines []string) bool {
	c := coding(lines)
	return c == identity || slices.Contains(codings, c)
}

// quality is how much a client likes a coding, from Accept-Encoding (RFC 9110, 12.5.3); 0 for one
// that it does not take.
func quality(accept []string, coding string) float64 {
	q, star := -1.0, -1.0
	for _, line := range accept {
		for part := range strings.SplitSeq(line, ",") {
			name, params, _ := strings.Cut(part, ";")
			name = strings.ToLower(strings.TrimSpace(name))
			v := 1.0
			if name, value, ok := strings.Cut(strings.TrimSpace(params), "="); ok &&
				strings.EqualFold(strings.TrimSpace(name), "q") {
				n, err := strconv.ParseFloat(strings.TrimSpace(value), 64)
				if err != nil {
					n = 0
				}
				v = n
			}
			switch {
			case name == coding, name == "x-gzip" && coding == "gzip":
				q = v
			case name == "*":
				star = v
			}
		}
	}
	switch {
	case q >= 0:
		return q
	case star >= 0:
		return star
	case coding == identity:
		return 1
	}
	return 0
}

// best is the coding that a page is sent in.
func best(accept []string) string {
	name, most := identity, 0.0
	for _, c := range codings {
		if q := quality(accept, c); q > most {
			name, most = c, q
		}
	}
	return name
}

// readable has the origin send only codings that can be read here, of those that the client takes.
func readable(h http.Header) {
	accept := h["Accept-Encoding"]
	if len(accept) == 0 {
		return
	}
	var some []string
	for _, c := range append(slices.Clone(codings), identity) {
		if q := quality(accept, c); q > 0 && (c != identity || strings.Contains(strings.Join(accept, ","), identity)) {
			if q < 1 {
				c += ";q=" + strconv.FormatFloat(q, 'g', 3, 64)
			}
			some = append(some, c)
		}
	}
	if quality(accept, identity) == 0 {
		some = append(some, identity+";q=0")
	}
	if len(some) == 0 {
		some = []string{identity}
	}
	h["Accept-Encoding"] = []string{strings.Join(some, ", ")}
}

var errLarge = errors.New("it is too large")

// readers and writers of the codings. A new one that cannot be made is nil.
var (
	readers = map[string]*sync.Pool{
		"gzip": {New: func() any { return new(gzip.Reader) }},
		"br":   {New: func() any { return new(brotli.Reader) }},
		"zstd": {New: func() any {
			r, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true),
				zstd.WithDecoderMaxWindow(8<<20), zstd.WithDecoderMaxMemory(64<<20))
			if err != nil {
				return nil
			}
			return r
		}},
	}
	writers = map[string]*sync.Pool{
		"gzip": {New: func() any { w, _ := gzip.NewWriterLevel(nil, 5); return w }},
		"br":   {New: func() any { return brotli.NewWriterLevel(nil, 4) }},
		"zstd": {New: func() any {
			w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true))
			if err != nil {
				return nil
			}
			return w
		}},
	}
)

// decoder takes a coding off what it reads. It reads nothing before it is read, and its machinery goes back once it has
// come to its end.
type decoder struct {
	src    io.Reader
	coding string
	from   io.Reader
	back   func()
}

// open begins to read.
func (d *decoder) open() error {
	type resetter interface {
		io.Reader
		Reset(io.Reader) error
	}
	pool := readers[d.coding]
	if pool == nil {
		return fmt.Errorf("the coding %q cannot be read", d.coding)
	}
	z, ok := pool.Get().(resetter)
	if !ok {
		return fmt.Errorf("no %s", d.coding)
	}
	d.from, d.back = z, func() { pool.Put(z) }
	return z.Reset(d.src)
}

// Read implements io.Reader.
func (d *decoder) Read(p []byte) (n int, err error) {
	if d.from == nil {
		if err = d.open(); err != nil {
			d.from = failed{err}
		}
	}
	n, err = d.from.Read(p)
	if err != nil && d.back != nil {
		d.back()
		d.from, d.back = failed{err}, nil
	}
	return n, err
}

// failed is what is read from a reader that has ended.
type failed struct{ err error }

func (f failed) Read([]byte) (int, error) { return 0, f.err }

// decoded takes a coding off. A body that comes to more than largest bytes is an error, and so is one
// after whose end something stands.
func decoded(body []byte, coding string, largest int64) ([]byte, error) {
	if coding == identity {
		return body, nil
	}
	src := bytes.NewReader(body)
	out := bytes.NewBuffer(make([]byte, 0, min(int64(len(body))*5, largest)))
	n, err := io.Copy(out, io.LimitReader(&decoder{src: src, coding: coding}, largest+1))
	switch {
	case err != nil:
		return nil, err
	case n > largest:
		return nil, errLarge
	case src.Len() > 0:
		return nil, errors.New("something stands after its end")
	}
	return out.Bytes(), nil
}

// encoder puts a coding on what is written.
type encoder interface {
	io.WriteCloser
	Flush() error
	Reset(io.Writer)
}

// encoderTo is an encoder that writes to out, and what it goes back to once it is closed.
func encoderTo(out io.Writer, coding string) (encoder, *sync.Pool, error) {
	pool := writers[coding]
	if pool == nil {
		return nil, nil, fmt.Errorf("the coding %q cannot be written", coding)
	}
	z, ok := pool.Get().(encoder)
	if !ok {
		return nil, nil, fmt.Errorf("no %s", coding)
	}
	z.Reset(out)
	return z, pool, nil
}

// encoded puts a coding on.
func encoded(text []byte, coding string) ([]byte, error) {
	if coding == identity {
		return text, nil
	}
	out := bytes.NewBuffer(make([]byte, 0, len(text)/3+128))
	z, pool, err := encoderTo(out, coding)
	if err != nil {
		return nil, err
	}
	defer pool.Put(z)
	if _, err := z.Write(text); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// encoding is a body in a coding that it gets as it passes: what has come leaves at once.
type encoding struct {
	io.ReadCloser
	to   encoder
	pool *sync.Pool
	in   []byte
	out  bytes.Buffer
	end  error
}

// inCoding is a body in a coding.
func inCoding(body io.ReadCloser, coding string) (io.ReadCloser, error) {
	if coding == identity {
		return body, nil
	}
	e := &encoding{ReadCloser: body, in: make([]byte, 16<<10)}
	var err error
	e.to, e.pool, err = encoderTo(&e.out, coding)
	return e, err
}

// Read implements io.Reader.
func (e *encoding) Read(p []byte) (int, error) {
	for e.out.Len() == 0 {
		if e.end != nil {
			return 0, e.end
		}
		e.fill()
	}
	return e.out.Read(p)
}

// fill codes what comes next.
func (e *encoding) fill() {
	n, err := e.ReadCloser.Read(e.in)
	if n > 0 {
		_, e.end = e.to.Write(e.in[:n])
	}
	switch {
	case e.end != nil:
	case err == nil:
		e.end = e.to.Flush()
	case err != io.EOF:
		e.end = err
	default:
		if e.end = e.to.Close(); e.end == nil {
			e.end = io.EOF
			e.pool.Put(e.to)
		}
	}
}

// addVary adds a field to Vary (RFC 9110, 12.5.5).
func addVary(h http.Header, field string) {
	for _, line := range h["Vary"] {
		for name := range strings.SplitSeq(line, ",") {
			if name = strings.TrimSpace(name); name == "*" || strings.EqualFold(name, field) {
				return
			}
		}
	}
	h.Add("Vary", field)
}
