// Package output writes the gated site: whole files or none, nothing that the
// tool did not write, and a record by which the next apply knows what is left to
// do.
package output

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/zeebo/xxh3"
)

// The files of the folder .yellowgate, next to the gate file.
const (
	stateDir    = ".yellowgate"
	recordName  = "record"
	journalName = "journal"
	lockName    = "lock"
	recordHead  = "yellowgate.record/1"
)

// A digest tells whether two contents are the same: 128 bits of XXH3. It guards
// against accidents, not against somebody who makes two files with one digest.
type digest [16]byte

func digestOf(b []byte) digest { return xxh3.Hash128(b).Bytes() }

// An entry is what the record holds of one output file.
type entry struct {
	gate    string // digest of the gate that was applied; "" for a copy, which no gate changes
	kept    bool   // not written by the tool: --take-over let it stay
	source  stamp
	output  stamp
	applied int64 // seconds since 1970
}

// A stamp is a file's digest, with the size and time that may save taking it
// again.
type stamp struct {
	size  int64
	mtime int64 // nanoseconds since 1970; 0 where it cannot be relied on
	sum   digest
}

// same reports whether a file of this size and time has surely not changed.
func (s stamp) same(size int64, mtime time.Time) bool {
	return s.mtime != 0 && s.size == size && s.mtime == mtime.UnixNano()
}

// A record is the outputs that the tool wrote, by path.
type record struct {
	files map[string]*entry
	// journal holds the digests of outputs that an apply meant to write and may
	// have written before it was stopped.
	journal map[string][]digest
}

// loadRecord reads the record and what a stopped apply left of its journal. A
// record that cannot be understood is an error: it would make the tool forget
// what it wrote.
func loadRecord(dir string) (*record, error) {
	r := &record{files: map[string]*entry{}, journal: map[string][]digest{}}
	b, err := os.ReadFile(filepath.Join(dir, stateDir, recordName))
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	if err != nil {
		return nil, err
	}
	if len(b) > 0 {
		if err := r.parse(b); err != nil {
			return nil, err
		}
	}
	j, err := os.ReadFile(filepath.Join(dir, stateDir, journalName))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for line := range bytes.Lines(j) {
		// A line that the kill cut short has no line end and counts for nothing.
		f := strings.Split(strings.TrimSuffix(string(line), "\n"), "\t")
		if len(f) != 2 || line[len(line)-1] != '\n' {
			continue
		}
		if sum, err := parseDigest(f[0]); err == nil {
			if path, err := strconv.Unquote(f[1]); err == nil {
				r.journal[path] = append(r.journal[path], sum)
			}
		}
	}
	return r, nil
}

func (r *record) parse(b []byte) error {
	var gates []string
	r.files = make(map[string]*entry, bytes.Count(b, []byte{'\n'}))
	n := 0
	for line := range bytes.Lines(b) {
		n++
		f := strings.Split(strings.TrimSuffix(string(line), "\n"), "\t")
		bad := func() error { return fmt.Errorf("line %d of the record cannot be understood", n) }
		switch {
		case n == 1:
			if f[0] != recordHead {
				return fmt.Errorf("the record is of another version (%q)", f[0])
			}
		case f[0] == "gate" && len(f) == 2:
			gates = append(gates, f[1])
		case f[0] == "file" && len(f) == 10:
			e := &entry{}
			g, err := strconv.Atoi(f[2])
			if err != nil || g >= len(gates) {
				return bad()
			}
			switch {
			case g >= 0:
				e.gate = gates[g]
			case g == -2:
				e.kept = true
			}
			path, err := strconv.Unquote(f[1])
			if err != nil || !numbers(f[3:6], &e.applied, &e.source.size, &e.source.mtime) || !numbers(f[7:9], &e.output.size, &e.output.mtime) {
				return bad()
			}
			if e.source.sum, err = parseDigest(f[6]); err != nil {
				return bad()
			}
			if e.output.sum, err = parseDigest(f[9]); err != nil {
				return bad()
			}
			r.files[path] = e
		default:
			return bad()
		}
	}
	return nil
}

func numbers(text []string, into ...*int64) bool {
	for i, t := range text {
		n, err := strconv.ParseInt(t, 10, 64)
		if err != nil {
			return false
		}
		*into[i] = n
	}
	return true
}

func parseDigest(s string) (d digest, err error) {
	if len(s) != 2*len(d) {
		return d, errors.New("no digest")
	}
	for i := range d {
		hi, lo := hexDigit(s[2*i]), hexDigit(s[2*i+1])
		if hi > 15 || lo > 15 {
			return d, errors.New("no digest")
		}
		d[i] = hi<<4 | lo
	}
	return d, nil
}

func hexDigit(c byte) byte {
	switch {
	case c >= '0' && c <= '9':
		return c - '0'
	case c >= 'a' && c <= 'f':
		return c - 'a' + 10
	}
	return 255
}

// save writes the record whole and then drops the journal, which it replaces.
func (r *record) save(dir string, paths []string) error {
	if err := r.saveKeepingJournal(dir, paths); err != nil {
		return err
	}
	if err := os.Remove(filepath.Join(dir, stateDir, journalName)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// saveKeepingJournal writes the record whole or not at all.
func (r *record) saveKeepingJournal(dir string, paths []string) error {
	var b bytes.Buffer
	w := bufio.NewWriter(&b)
	fmt.Fprintln(w, recordHead)
	gates := map[string]int{}
	for _, p := range paths {
		g := r.files[p].gate
		if _, ok := gates[g]; !ok && g != "" {
			gates[g] = len(gates)
			fmt.Fprintf(w, "gate\t%s\n", g)
		}
	}
	var line []byte
	for _, p := range paths {
		e := r.files[p]
		g := -1
		if e.gate != "" {
			g = gates[e.gate]
		}
		if e.kept {
			g = -2
		}
		line = append(line[:0], "file\t"...)
		line = strconv.AppendQuote(line, p)
		for _, n := range []int64{int64(g), e.applied, e.source.size, e.source.mtime} {
			line = strconv.AppendInt(append(line, '\t'), n, 10)
		}
		line = appendHex(append(line, '\t'), e.source.sum)
		for _, n := range []int64{e.output.size, e.output.mtime} {
			line = strconv.AppendInt(append(line, '\t'), n, 10)
		}
		line = append(appendHex(append(line, '\t'), e.output.sum), '\n')
		w.Write(line)
	}
	w.Flush()
	state := filepath.Join(dir, stateDir)
	tmp := filepath.Join(state, recordName+".new")
	if err := os.WriteFile(tmp, b.Bytes(), 0o644); err != nil {
		return err
	}
	return os.Rename(tmp, filepath.Join(state, recordName))
}

func appendHex(b []byte, d digest) []byte {
	const digits = "0123456789abcdef"
	for _, c := range d {
		b = append(b, digits[c>>4], digits[c&15])
	}
	return b
}
