package site

import (
	"path/filepath"
	"strings"
	"sync"

	"github.com/klauspost/compress/gzip"
	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/memo"
)

// Weights weighs the files of a folder and inline texts, each content once. It
// may be used from several goroutines.
type Weights struct {
	root  string
	files memo.All[string, weight]    // by path
	texts memo.Map[xxh3.Uint128, int] // by digest
	known *list                       // the files there are; nil to look for each
	// Roughly leaves out what inline texts weigh compressed, where nobody asks.
	Roughly bool
	inventory.Imports
}

type weight struct {
	bytes, gzip int
	ok          bool
}

// NewWeights weighs the files below root; files is what Walk found there, or nil
// to look for each file when it is asked for.
func NewWeights(root string, files []File) *Weights {
	w := &Weights{root: root}
	w.texts.Most = 100_000
	if files != nil {
		w.known = listOf(files, Normal)
	}
	w.Imports = inventory.Imports{Weights: w, Read: w.Read}
	return w
}

// Has reports whether the site has a file at a path, which may name a page.
func (w *Weights) Has(path string) bool {
	return w.known == nil || w.known.has(path)
}

// packed are the endings of files that no server compresses, since they are.
var packed = map[string]bool{
	".png": true, ".jpg": true, ".jpeg": true, ".gif": true, ".webp": true, ".avif": true, ".woff": true,
	".woff2": true, ".mp4": true, ".webm": true, ".ogg": true, ".mp3": true, ".mov": true, ".pdf": true,
	".zip": true, ".gz": true,
}

// Packed reports whether a file of that name is weighed by its size alone.
func Packed(path string) bool { return packed[strings.ToLower(filepath.Ext(path))] }

// File implements inventory.Weights.
func (w *Weights) File(path string) (bytes, gz int, ok bool) {
	if !w.Has(path) || strings.HasSuffix(path, "/") {
		return 0, 0, false
	}
	if w.known != nil && Packed(path) {
		n := int(w.known.find(path).Size)
		return n, n, true
	}
	x := w.files.Get(path, func() (x weight) {
		if b, ok := w.Read(path); ok {
			x = weight{len(b), len(b), true}
			if !Packed(path) {
				x.gzip = gzipped(b)
			}
		}
		return x
	})
	return x.bytes, x.gzip, x.ok
}

// Read returns a file of the site by its path.
func (w *Weights) Read(path string) ([]byte, bool) {
	b, err := ReadFile(w.root, strings.TrimPrefix(path, "/"))
	return b, err == nil
}

// Text implements inventory.Weights.
func (w *Weights) Text(text []byte) int {
	if w.Roughly {
		return 0
	}
	sum := xxh3.Hash128(text)
	return w.texts.Get(sum, func() int { return gzipped(text) })
}

type counter int

func (c *counter) Write(b []byte) (int, error) { *c += counter(len(b)); return len(b), nil }

var gzips = sync.Pool{New: func() any { return gzip.NewWriter(nil) }}

// gzipped is the size of b as a web server would send it, at the default level.
func gzipped(b []byte) int {
	var n counter
	z := gzips.Get().(*gzip.Writer)
	defer gzips.Put(z)
	z.Reset(&n)
	z.Write(b)
	z.Close()
	return int(n)
}
