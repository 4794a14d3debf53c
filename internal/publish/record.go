// Package publish writes the gated site: whole files or none, nothing that the
// tool did not write, and a record by which the next apply knows what is left to
// do.
package publish

import (
	"bufio"
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
)

const recordHead = "yellowgate.record/2"

// A digest tells whether two contents are the same: 128 bits of XXH3. It guards
// against accidents, not against somebody who makes two files with one digest.
type digest [16]byte

func digestOf(b []byte) digest { return xxh3.Hash128(b).Bytes() }

func (d digest) String() string { return hex.EncodeToString(d[:]) }

// An entry is what the record holds of one output file.
type entry struct {
	gate    string // digest of the gate that was applied; "" for a copy, which no gate changes
	source  stamp
	output  stamp
	applied int64 // seconds since 1970
}

// A stamp is a file's digest, with what the file system reports it, which may save
// taking the digest again.
type stamp struct {
	fsys.Stamp
	sum digest
}

// same reports whether a file of this stamp has surely not changed since.
func (s *stamp) same(now fsys.Stamp) bool {
	return s.Safe() && s.Size == now.Size && s.ModAt == now.ModAt && s.Change == now.Change && s.Number == now.Number
}

// A record is the outputs that the tool wrote into one output folder for one gate file,
// by path. Nothing that it says is believed that would cost somebody a file.
type record struct {
	gate, output string // as state names them
	folder       string // fsys.FolderID of the output folder
	files        map[string]*entry
}

// loadRecord reads the record, or the part of it that keep leaves. A record that cannot be
// understood is an error: it would make the tool forget what it wrote.
func (s state) loadRecord() (*record, error) {
	r := &record{gate: s.Gate, output: s.Output, files: map[string]*entry{}}
	b, err := s.readRecord()
	if err == nil && len(b) > 0 {
		err = r.parse(b)
		if err == nil && s.Gate != "" && (r.gate != s.Gate || r.output != s.Output) {
			err = fmt.Errorf("the record is that of %s and the output folder %s", r.gate, r.output)
		}
	}
	if err != nil {
		return nil, s.recordError(err)
	}
	return r, nil
}

func (s state) readRecord() ([]byte, error) {
	if err := s.check(); err != nil {
		return nil, err
	}
	b, err := fsys.Read(s.at(recordName), fsys.StateLimit)
	if fsys.Missing(err) {
		return nil, nil
	}
	return b, err
}

func (s state) recordError(err error) error {
	var pe *failure.Path
	if errors.As(err, &pe) {
		return err
	}
	return &failure.Path{
		Path: s.at(recordName),
		Err:  err,
		What: "delete the record, then apply: pages that say already what they should are taken for the tool's own " +
			"again, others by apply --take-over",
	}
}

func (r *record) parse(b []byte) error {
	var gates []string
	r.files = make(map[string]*entry, bytes.Count(b, []byte{'\n'}))
	n := 0
	for line := range bytes.Lines(b) {
		n++
		f := strings.Split(strings.TrimSuffix(string(line), "\n"), "\t")
		bad := func() error { return fmt.Errorf("line %d of the record cannot be understood", n) }
		var err error
		switch {
		case n == 1:
			if f[0] != recordHead {
				return fmt.Errorf("the record is of another version (%q)", f[0])
			}
		case f[0] == "gate-file" && len(f) == 2:
			r.gate, err = strconv.Unquote(f[1])
		case f[0] == "output" && len(f) == 2:
			r.output, err = strconv.Unquote(f[1])
		case f[0] == "folder" && len(f) == 2:
			r.folder = f[1]
		case f[0] == "gate" && len(f) == 2:
			gates = append(gates, f[1])
		case f[0] == "file" && len(f) == 14:
			e := &entry{}
			g, err := strconv.Atoi(f[2])
			if err != nil || g >= len(gates) {
				return bad()
			}
			if g >= 0 {
				e.gate = gates[g]
			}
			path, err := strconv.Unquote(f[1])
			if err != nil || !number(f[3], &e.applied) || !e.source.parse(f[4:9]) || !e.output.parse(f[9:14]) {
				return bad()
			}
			if filepath.IsLocal(filepath.FromSlash(path)) { // any other is nothing that the tool writes
				r.files[path] = e
			}
		default:
			return bad()
		}
		if err != nil {
			return bad()
		}
	}
	return nil
}

func number(text string, into *int64) bool {
	n, err := strconv.ParseInt(text, 10, 64)
	*into = n
	return err == nil
}

func (s *stamp) parse(f []string) bool {
	var err error
	if s.Number, err = strconv.ParseUint(f[3], 10, 64); err != nil {
		return false
	}
	s.sum, err = parseDigest(f[4])
	return err == nil && number(f[0], &s.Size) && number(f[1], &s.ModAt) && number(f[2], &s.Change)
}

func (s *stamp) append(line []byte) []byte {
	for _, n := range []int64{s.Size, s.ModAt, s.Change} {
		line = strconv.AppendInt(append(line, '\t'), n, 10)
	}
	line = strconv.AppendUint(append(line, '\t'), s.Number, 10)
	return hex.AppendEncode(append(line, '\t'), s.sum[:])
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

// save writes the record whole or not at all. paths are its files, sorted.
func (r *record) save(s state, paths []string) error {
	var b bytes.Buffer
	w := bufio.NewWriter(&b)
	fmt.Fprintf(w, "%s\ngate-file\t%q\noutput\t%q\nfolder\t%s\n", recordHead, s.Gate, s.Output, r.folder)
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
		line = append(line[:0], "file\t"...)
		line = strconv.AppendQuote(line, p)
		line = strconv.AppendInt(append(line, '\t'), int64(g), 10)
		line = strconv.AppendInt(append(line, '\t'), e.applied, 10)
		line = append(e.output.append(e.source.append(line)), '\n')
		w.Write(line)
	}
	w.Flush()
	return fsys.Replace(s.at(recordName), b.Bytes())
}

// distrust makes stamps unsafe where a later change could bear the same.
func (e *entry) distrust(start, now time.Time, source, output uint64) {
	e.source.Distrust(start, source)
	e.output.Distrust(now, output)
}
