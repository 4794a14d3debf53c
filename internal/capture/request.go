package capture

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/page"
	"yellowgate/internal/site"
)

// One request: its time limits, waits and codings, and whether it has to be made at all.

// an answer is what came for a request.
type answer struct {
	status int
	fields map[string][]string
	where  string // of a redirect
	wire   int64
	why    string         // the body is not kept, and why
	line   *site.Captured // of an earlier capture, whose file is still good
}

// reason is an error without the names that stand before it.
func reason(err error) string {
	var ue *url.Error
	if errors.As(err, &ue) {
		err = ue.Err
	}
	var pe *os.PathError
	if errors.As(err, &pe) {
		err = pe.Err
	}
	return err.Error()
}

// getNew is get where the folder has nothing that is still good.
func (c *capture) getNew(ctx context.Context, u *url.URL, key string) (got answer, body []byte, err error) {
	k, had := c.before[key]
	if had = had && k.File != ""; had {
		body, err = site.ReadFile(c.Dir, k.File)
		had = err == nil && sum(body) == k.Sum
	}
	var since http.Header
	still := answer{status: k.Status, fields: k.Fields, wire: k.Wire, line: &k}
	if had && c.GoOn {
		return still, body, nil
	}
	if had {
		since = http.Header{}
		for name, field := range map[string]string{"etag": "If-None-Match", "last-modified": "If-Modified-Since"} {
			if v := k.Fields[name]; len(v) == 1 {
				since.Set(field, v[0])
			}
		}
	}
	got, fresh, err := c.get(ctx, u, since)
	if err == nil && got.status == http.StatusNotModified && had {
		return still, body, nil
	}
	return got, fresh, err
}

// sum is the digest of a body as a line has it.
func sum(body []byte) string {
	d := xxh3.Hash128(body).Bytes()
	return hex.EncodeToString(d[:])
}

// get asks for an address and reads the body, decoded. Where the server asks to be asked later, it
// waits.
func (c *capture) get(ctx context.Context, u *url.URL, more http.Header) (got answer, body []byte, err error) {
	for try := 0; ; try++ {
		if err := c.pause(ctx); err != nil {
			return got, nil, err
		}
		got, body, err = c.ask(ctx, u, more)
		wait := later(&got, try)
		if err != nil || wait == 0 || try == 3 {
			return got, body, err
		}
		c.mu.Lock()
		if until := time.Now().Add(wait); until.After(c.until) {
			c.until = until
		}
		c.mu.Unlock()
	}
}

// pause waits until somebody may ask.
func (c *capture) pause(ctx context.Context) error {
	c.mu.Lock()
	wait := time.Until(c.until)
	c.mu.Unlock()
	if wait > 0 {
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return c.limit.Wait(ctx)
}

// mostWait is how long a server may ask to be left alone.
const mostWait = 2 * time.Minute

// later is how long to wait before asking again; 0 for not at all.
func later(got *answer, try int) time.Duration {
	if got.status != http.StatusTooManyRequests && got.status != http.StatusServiceUnavailable {
		return 0
	}
	for _, v := range got.fields["retry-after"] {
		if n, err := strconv.Atoi(v); err == nil && n >= 0 {
			return min(time.Duration(n)*time.Second+time.Millisecond, mostWait)
		}
		if at, err := http.ParseTime(v); err == nil {
			return min(max(time.Until(at), time.Millisecond), mostWait)
		}
	}
	return time.Second << try
}

// ask makes one request.
func (c *capture) ask(ctx context.Context, u *url.URL, more http.Header) (got answer, body []byte, err error) {
	ctx, cancel := context.WithTimeout(ctx, 2*c.Patience)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return got, nil, err
	}
	maps.Copy(r.Header, c.Header)
	maps.Copy(r.Header, more)
	r.Header.Set("User-Agent", userAgent)
	r.Header.Set("Accept-Encoding", "gzip, br, zstd")
	if r.Host = r.Header.Get("Host"); r.Host != "" { // which Go sends from here alone
		r.Header.Del("Host")
	}
	a, err := c.client.Do(r)
	if err != nil {
		return got, nil, err
	}
	defer a.Body.Close()
	got.status, got.fields = a.StatusCode, map[string][]string{}
	for name, lines := range a.Header {
		if lower := strings.ToLower(name); slices.Contains(page.Meaningful, lower) || lower == "retry-after" {
			got.fields[lower] = lines
		}
	}
	if a.StatusCode >= 300 && a.StatusCode < 400 && a.Header.Get("Location") != "" {
		got.where = a.Header.Get("Location")
		return got, nil, nil
	}
	wire := &counting{r: a.Body}
	decoded, err := decode(wire, a.Header.Get("Content-Encoding"))
	if err != nil {
		got.why = err.Error()
		return got, nil, nil
	}
	body, err = io.ReadAll(io.LimitReader(decoded, c.Largest+1))
	got.wire = wire.n
	switch {
	case err != nil && ctx.Err() == nil:
		got.why = "its body cannot be read to the end: " + reason(err)
		return got, nil, nil
	case err != nil:
		return got, nil, fmt.Errorf("no whole answer came within %s", 2*c.Patience)
	case int64(len(body)) > c.Largest:
		got.why = fmt.Sprintf("its body is larger than %d MB", c.Largest>>20)
		return got, nil, nil
	}
	return got, body, nil
}

type counting struct {
	r io.Reader
	n int64
}

func (c *counting) Read(b []byte) (int, error) {
	n, err := c.r.Read(b)
	c.n += int64(n)
	return n, err
}

// decode takes a content coding off (RFC 9110, 8.4.1).
func decode(r io.Reader, coding string) (io.Reader, error) {
	switch strings.ToLower(strings.TrimSpace(coding)) {
	case "", "identity":
		return r, nil
	case "gzip", "x-gzip":
		z, err := gzip.NewReader(r)
		if err != nil {
			return nil, errors.New("its body is not in the coding that it says: gzip")
		}
		return z, nil
	case "br":
		return brotli.NewReader(r), nil
	case "zstd":
		z, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true),
			zstd.WithDecoderMaxWindow(8<<20)) // RFC 9659
		if err != nil {
			return nil, errors.New("its body is not in the coding that it says: zstd")
		}
		return z.IOReadCloser(), nil
	}
	return nil, fmt.Errorf("its Content-Encoding is not supported: %q", coding)
}
