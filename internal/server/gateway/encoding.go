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

var (
	gzipReaders = sync.Pool{New: func() any { return new(gzip.Reader) }}
	brReaders   = sync.Pool{New: func() any { return new(brotli.Reader) }}
	gzipWriters = sync.Pool{New: func() any { w, _ := gzip.NewWriterLevel(nil, 5); return w }}
	brWriters   = sync.Pool{New: func() any { return brotli.NewWriterLevel(nil, 4) }}
	zstdCoders  = sync.Pool{New: func() any {
		w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true))
		if err != nil {
			return nil
		}
		return w
	}}
	zstdReaders = sync.Pool{New: func() any {
		r, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true), zstd.WithDecoderMaxWindow(8<<20), zstd.WithDecoderMaxMemory(64<<20))
		if err != nil {
			return nil
		}
		return r
	}}
)

// decoded takes a coding off. A body that comes to more than largest bytes is an error, and so is one
// after whose end something stands.
func decoded(body []byte, coding string, largest int64) ([]byte, error) {
	src := bytes.NewReader(body)
	var from io.Reader
	switch coding {
	case identity:
		return body, nil
	case "gzip":
		z := gzipReaders.Get().(*gzip.Reader)
		defer gzipReaders.Put(z)
		if err := z.Reset(src); err != nil {
			return nil, err
		}
		from = z
	case "br":
		z := brReaders.Get().(*brotli.Reader)
		defer brReaders.Put(z)
		if err := z.Reset(src); err != nil {
			return nil, err
		}
		from = z
	case "zstd":
		z, ok := zstdReaders.Get().(*zstd.Decoder)
		if !ok {
			return nil, errors.New("no zstd")
		}
		defer zstdReaders.Put(z)
		if err := z.Reset(src); err != nil {
			return nil, err
		}
		from = z
	default:
		return nil, fmt.Errorf("the coding %q cannot be read", coding)
	}
	out := bytes.NewBuffer(make([]byte, 0, min(int64(len(body))*5, largest)))
	n, err := io.Copy(out, io.LimitReader(from, largest+1))
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

// encoded puts a coding on.
func encoded(text []byte, coding string) ([]byte, error) {
	out := bytes.NewBuffer(make([]byte, 0, len(text)/3+128))
	var to io.WriteCloser
	switch coding {
	case identity:
		return text, nil
	case "gzip":
		z := gzipWriters.Get().(*gzip.Writer)
		defer gzipWriters.Put(z)
		z.Reset(out)
		to = z
	case "br":
		z := brWriters.Get().(*brotli.Writer)
		defer brWriters.Put(z)
		z.Reset(out)
		to = z
	case "zstd":
		z, ok := zstdCoders.Get().(*zstd.Encoder)
		if !ok {
			return nil, errors.New("no zstd")
		}
		defer zstdCoders.Put(z)
		return z.EncodeAll(text, out.Bytes()), nil
	default:
		return nil, fmt.Errorf("the coding %q cannot be written", coding)
	}
	if _, err := to.Write(text); err != nil {
		return nil, err
	}
	if err := to.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
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
