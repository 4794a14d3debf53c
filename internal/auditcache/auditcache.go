// Package auditcache keeps what the audit of each page came to, so that the next audit computes only
// what changed. It believes nothing but bytes: an entry counts where the digests of the page, of
// its source and of every file that the page's audit asked for are what they were, and the
// gate, the site's stylesheets and the tool are the same. No time stamp is looked at, and no
// record of what was applied.
//
// It lies in the tool's own folder beside the gate file. Whatever is wrong with it (cut short,
// damaged, of another version, not to be written to) only costs time: the pages are audited
// again.
package auditcache

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/gob"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

const (
	prefix = "audit-" // of a folder's name
	// mostFolders is how many audited folders are kept beside one gate file; the one that was
	// written longest ago goes first.
	mostFolders = 8
	// mostBytes is how large all that is kept of one folder may be; more is not kept.
	mostBytes = 512 << 20
	// pagesEach is how many pages one file holds, about: those in which nothing changed are not
	// written again.
	pagesEach = 128
)

// magic begins every file; its number changes with what the file holds.
var magic = []byte("yellowgate audit 2\n")

// A Digest is the digest of some bytes: XXH3, 128 bits, with a seed of this folder's own.
type Digest [16]byte

// A Question is what the audit of a page asked of the site, and the answer.
type Question struct {
	Kind QuestionKind
	Path string
	Answer
}

// QuestionKind is what was asked about a path.
type QuestionKind uint8

const (
	Bytes   QuestionKind = iota // what is in the file?
	Size                        // how large is the file?
	HasFile                     // is there a file, or a page?
	HasPage                     // is there a page?
)

// An Answer is the digest of a file, or its size or a yes in Number; Is is false where there is no
// such file.
type Answer struct {
	Is     bool
	Number int64
	Sum    Digest
}

// An Entry is a page with what its audit depends on.
type Entry struct {
	Page      *audit.PageResult
	Output    Digest // of the page's bytes
	Source    Digest // of the bytes of the page that it was made of; zero for none
	Differs   bool   // it is not what the gate makes of its source
	State     uint8  // of the output, where it differs
	Questions []Question
	read      int32 // the number of its list of questions, from 1, where it was read
}

// A Store is what is kept of one audited folder. Its methods may be used from several goroutines.
type Store struct {
	dir     string
	context Digest
	seed    uint64
	of      map[string]*shard // by the page's file
	shards  []*shard
	answer  func(QuestionKind, string) Answer
	known   memo.All[questionKey, Answer]
	size    atomic.Int64
	making  sync.Mutex
	made    bool
	failed  atomic.Bool // something cannot be written; nothing more is

	hits, misses atomic.Int64
}

type questionKey struct {
	QuestionKind
	path string
}

// A shard is one file of the store: pages that follow each other. It is read when the first of
// them is asked for, and written and let go with the last.
type shard struct {
	name    string
	pages   int // that are still to come
	mutex   sync.Mutex
	loaded  bool
	was     kept
	at      map[string]int // entries by the page's file
	valid   []int8         // by list of questions: 0 not looked at, 1 as it was, 2 not
	blobs   []any
	now     []*Entry // the pages of this audit
	changed bool
}

// kept is a shard as it is written.
type kept struct {
	Context   Digest
	Strings   []string
	Blobs     [][]byte // facts and what else pages have alike, as JSON
	Questions [][]question
	Entries   []entry
}

type question struct {
	Kind   QuestionKind
	Path   int32 // of Strings
	Is     bool
	Number int64
	Sum    Digest
}

type entry struct {
	File, Path     string
	Output, Source Digest
	Differs        bool
	State          uint8
	Questions      int32
	Fragment       bool
	Aside          bool
	Costs          [4]int // requests, blocking, bytes, unneeded
	Facts          []int32
	Rest           int32
	Findings       []finding
}

type finding struct {
	Severity                            problem.Severity
	Check, Item, About, Message, Remedy int32 // of Strings
	Line, Column                        int32
	Elsewhere                           bool // it names another page or file than the entry's
	Page, File                          int32
}

// rest is what pages mostly have alike.
type rest struct {
	Items []audit.ItemResult `json:"items,omitempty"`
	Lines *gate.Lines        `json:"lines,omitempty"`
	Lives []int              `json:"lives,omitempty"`
}

// Open opens what is kept of a folder, which is named in full, with the files of its pages in
// the order in which they are audited. context is everything that all pages depend on. answer
// says what holds now. The store is empty where nothing is kept, or nothing that can be used.
func Open(projectDir, folder string, files []string, context []byte, answer func(QuestionKind, string) Answer) *Store {
	name := xxh3.Hash128([]byte(folder)).Bytes()
	s := &Store{
		dir:    filepath.Join(projectDir, site.OwnDir, prefix+hex.EncodeToString(name[:4])),
		answer: answer,
		of:     make(map[string]*shard, len(files)),
	}
	if seed, err := fsys.Read(s.at("seed"), 64); err == nil && len(seed) == 8 {
		s.seed = binary.LittleEndian.Uint64(seed)
	} else {
		s.seed = fsys.RandomNumber()
	}
	s.context = s.Digest(slices.Concat(magic, context))
	for i, file := range files {
		sum := xxh3.HashString(file)
		if i == 0 || sum%pagesEach == 0 { // whatever comes and goes elsewhere, it begins here
			s.shards = append(s.shards, &shard{name: fmt.Sprintf("pages-%016x", sum)})
			if i == 0 {
				s.shards[0].name = "pages-first"
			}
		}
		sh := s.shards[len(s.shards)-1]
		sh.pages++
		s.of[file] = sh
	}
	return s
}

func (s *Store) at(name string) string { return filepath.Join(s.dir, name) }

// Digest is the digest of some bytes in this store.
func (s *Store) Digest(b []byte) Digest { return xxh3.Hash128Seed(b, s.seed).Bytes() }

// Counts says how many pages were known and how many had to be audited.
func (s *Store) Counts() (known, audited int) { return int(s.hits.Load()), int(s.misses.Load()) }

// Lookup returns what is kept of a page, if it still holds. state says of an output that differs
// what it is now. Where nothing is returned, Keep is to be called for the page.
func (s *Store) Lookup(file string, output, source Digest, state func() uint8) *audit.PageResult {
	sh := s.of[file]
	sh.mutex.Lock()
	defer sh.mutex.Unlock()
	if !sh.loaded {
		s.read(sh)
	}
	i, ok := sh.at[file]
	if !ok {
		return nil
	}
	e := &sh.was.Entries[i]
	if e.Output != output || e.Source != source || !s.holds(sh, e.Questions) || e.Differs && e.State != state() {
		return nil
	}
	p, err := sh.page(e)
	if err != nil {
		return nil
	}
	s.hits.Add(1)
	s.take(sh,
		&Entry{Page: p, Output: output, Source: source, Differs: e.Differs, State: e.State, read: e.Questions + 1})
	return p
}

// Keep takes in what the audit of a page came to.
func (s *Store) Keep(file string, e *Entry) {
	s.misses.Add(1)
	sh := s.of[file]
	slices.SortFunc(e.Questions,
		func(a, b Question) int { return cmp.Or(cmp.Compare(a.Path, b.Path), int(a.Kind)-int(b.Kind)) })
	sh.mutex.Lock()
	defer sh.mutex.Unlock()
	sh.changed = true
	s.take(sh, e)
}

// take notes a page; with the last one of its shard, that is written if it has to be, and let go.
func (s *Store) take(sh *shard, e *Entry) {
	sh.now = append(sh.now, e)
	if sh.pages--; sh.pages > 0 {
		return
	}
	if sh.changed || len(sh.now) != len(sh.was.Entries) {
		s.write(sh)
	}
	sh.was, sh.at, sh.blobs, sh.now, sh.valid = kept{}, nil, nil, nil, nil
}

// holds reports whether a list of questions has the answers that it had.
func (s *Store) holds(sh *shard, list int32) bool {
	if sh.valid[list] == 0 {
		sh.valid[list] = 1
		for _, q := range sh.was.Questions[list] {
			if s.now(q.Kind, sh.was.Strings[q.Path]) != (Answer{q.Is, q.Number, q.Sum}) {
				sh.valid[list] = 2
				break
			}
		}
	}
	return sh.valid[list] == 1
}

// now is the answer to a question as things are, asked once.
func (s *Store) now(kind QuestionKind, path string) Answer {
	return s.known.Get(questionKey{kind, path}, func() Answer { return s.answer(kind, path) })
}

// Ask is a question with its answer as things are.
func (s *Store) Ask(kind QuestionKind, path string) Question {
	return Question{kind, path, s.now(kind, path)}
}

// read reads a shard's file; anything that is wrong with it leaves the shard empty.
func (s *Store) read(sh *shard) {
	sh.loaded = true
	b, err := s.load(s.at(sh.name))
	if err != nil || gob.NewDecoder(bytes.NewReader(b)).Decode(&sh.was) != nil || sh.was.Context != s.context ||
		!sh.was.sound() {
		sh.was, sh.changed = kept{}, true
		return
	}
	sh.at = make(map[string]int, len(sh.was.Entries))
	for i := range sh.was.Entries {
		sh.at[sh.was.Entries[i].File] = i
	}
	sh.valid = make([]int8, len(sh.was.Questions))
	sh.blobs = make([]any, len(sh.was.Blobs))
}

// load reads a file of the store and takes off its head: the magic words and the digest of the
// rest.
func (s *Store) load(name string) ([]byte, error) {
	if info, err := fsys.Lstat(name); err != nil || !info.Mode().IsRegular() || !fsys.Mine(info) {
		return nil, fs.ErrInvalid
	}
	b, err := fsys.Read(name, mostBytes)
	if err != nil {
		return nil, err
	}
	rest, ok := bytes.CutPrefix(b, magic)
	if !ok || len(rest) < 16 || Digest(rest[:16]) != s.Digest(rest[16:]) {
		return nil, fs.ErrInvalid
	}
	return rest[16:], nil
}

// sound reports whether every number in it is of something that is there.
func (k *kept) sound() bool {
	text := func(list ...int32) bool {
		return !slices.ContainsFunc(list, func(n int32) bool { return n < 0 || int(n) >= len(k.Strings) })
	}
	for _, list := range k.Questions {
		for _, q := range list {
			if !text(q.Path) {
				return false
			}
		}
	}
	for i := range k.Entries {
		e := &k.Entries[i]
		if e.Questions < 0 || int(e.Questions) >= len(k.Questions) {
			return false
		}
		for _, n := range append(slices.Clone(e.Facts), e.Rest) {
			if n < -1 || int(n) >= len(k.Blobs) {
				return false
			}
		}
		for _, f := range e.Findings {
			if f.Severity > problem.Error || !text(f.Check, f.Item, f.About, f.Message, f.Remedy, f.Page, f.File) {
				return false
			}
		}
	}
	return true
}

// page makes the page of an entry; what pages have alike is read once, and shared.
func (sh *shard) page(e *entry) (*audit.PageResult, error) {
	p := &audit.PageResult{
		Path:     e.Path,
		File:     e.File,
		Fragment: e.Fragment,
		Aside:    e.Aside,
		Requests: e.Costs[0],
		Blocking: e.Costs[1],
		Bytes:    e.Costs[2],
		Unneeded: e.Costs[3],
	}
	p.Facts = make(checks.Facts, len(e.Facts))
	for kind, n := range e.Facts {
		if n < 0 {
			continue
		}
		if sh.blobs[n] == nil {
			fact, err := checks.ReadFact(kind, sh.was.Blobs[n])
			if err != nil {
				return nil, err
			}
			sh.blobs[n] = fact
		}
		p.Facts[kind] = sh.blobs[n]
	}
	if e.Rest >= 0 {
		if sh.blobs[e.Rest] == nil {
			r := &rest{}
			if err := json.Unmarshal(sh.was.Blobs[e.Rest], r); err != nil {
				return nil, err
			}
			sh.blobs[e.Rest] = r
		}
		r, ok := sh.blobs[e.Rest].(*rest)
		if !ok {
			return nil, fs.ErrInvalid
		}
		p.Items, p.Lines, p.Lives = r.Items, r.Lines, r.Lives
	}
	texts := sh.was.Strings
	p.Findings = make([]check.Finding, len(e.Findings))
	for i, f := range e.Findings {
		p.Findings[i] = check.Finding{
			Check:    texts[f.Check],
			Severity: f.Severity,
			Page:     e.Path,
			File:     e.File,
			Line:     int(f.Line),
			Column:   int(f.Column),
			Item:     texts[f.Item],
			About:    texts[f.About],
			Message:  texts[f.Message],
			Remedy:   texts[f.Remedy],
		}
		if f.Elsewhere {
			p.Findings[i].Page, p.Findings[i].File = texts[f.Page], texts[f.File]
		}
	}
	return p, nil
}

// write writes a shard. That it cannot be written is no error of the audit: the next one takes
// longer, and that is all.
func (s *Store) write(sh *shard) {
	if s.failed.Load() {
		return
	}
	var b bytes.Buffer
	b.Write(magic)
	b.Write(make([]byte, len(Digest{})))
	err := s.folder()
	if err == nil {
		err = gob.NewEncoder(&b).Encode(sh.kept(s.context))
	}
	text := b.Bytes()
	sum := s.Digest(text[len(magic)+len(sum0):])
	copy(text[len(magic):], sum[:])
	if err != nil || s.size.Add(int64(len(text))) > mostBytes || fsys.Replace(s.at(sh.name), text) != nil {
		s.failed.Store(true)
	}
}

var sum0 Digest

// packing makes a shard's entries what is written: each text, value and list of questions once, and numbers of them.
type packing struct {
	*kept
	was       *kept // what the shard was when it was read
	texts     map[string]int32
	blobs     map[string]int32
	lists     map[string]int32
	readLists map[int32]int32 // lists of was
	key       []byte          // of a list of questions, as a text
}

func (k *packing) text(t string) int32 {
	n, ok := k.texts[t]
	if !ok {
		n = int32(len(k.Strings))
		k.texts[t] = n
		k.Strings = append(k.Strings, t)
	}
	return n
}

func (k *packing) blob(v any) int32 {
	b, err := json.Marshal(v)
	if err != nil {
		return -1
	}
	n, ok := k.blobs[string(b)]
	if !ok {
		n = int32(len(k.Blobs))
		k.blobs[string(b)] = n
		k.Blobs = append(k.Blobs, b)
	}
	return n
}

func (k *packing) questions(e *Entry) int32 {
	if n, ok := k.readLists[e.read]; e.read > 0 && ok {
		return n
	}
	questions := e.Questions
	if e.read > 0 {
		for _, q := range k.was.Questions[e.read-1] {
			questions = append(questions, Question{q.Kind, k.was.Strings[q.Path], Answer{q.Is, q.Number, q.Sum}})
		}
	}
	key := k.key[:0]
	list := make([]question, len(questions))
	for i, q := range questions {
		x := question{q.Kind, k.text(q.Path), q.Is, q.Number, q.Sum}
		list[i] = x
		key = binary.LittleEndian.AppendUint32(append(key, byte(x.Kind)), uint32(x.Path))
		key = append(binary.LittleEndian.AppendUint64(key, uint64(x.Number)), x.Sum[:]...)
		key = strconv.AppendBool(key, x.Is)
	}
	k.key = key
	n, ok := k.lists[string(key)]
	if !ok {
		n = int32(len(k.Questions))
		k.lists[string(key)] = n
		k.Questions = append(k.Questions, list)
	}
	if e.read > 0 {
		k.readLists[e.read] = n
	}
	return n
}

// kept is the shard as it is to be written.
func (sh *shard) kept(context Digest) *kept {
	k := &packing{kept: &kept{Context: context}, was: &sh.was, texts: map[string]int32{}, blobs: map[string]int32{},
		lists: map[string]int32{}, readLists: map[int32]int32{}}
	slices.SortFunc(sh.now, func(a, b *Entry) int { return cmp.Compare(a.Page.File, b.Page.File) })
	for _, x := range sh.now {
		p := x.Page
		e := entry{
			File: p.File, Path: p.Path, Output: x.Output, Source: x.Source, Differs: x.Differs,
			State:     x.State,
			Questions: k.questions(x),
			Fragment:  p.Fragment,
			Aside:     p.Aside,
			Costs:     [4]int{p.Requests, p.Blocking, p.Bytes, p.Unneeded},
			Rest:      k.blob(&rest{p.Items, p.Lines, p.Lives}),
		}
		for _, fact := range p.Facts {
			n := int32(-1)
			if fact != nil {
				n = k.blob(fact)
			}
			e.Facts = append(e.Facts, n)
		}
		for _, f := range p.Findings {
			e.Findings = append(e.Findings, finding{f.Severity, k.text(f.Check), k.text(f.Item), k.text(f.About),
				k.text(f.Message), k.text(f.Remedy), int32(f.Line), int32(f.Column),
				f.Page != p.Path || f.File != p.File, k.text(f.Page), k.text(f.File)})
		}
		k.Entries = append(k.Entries, e)
	}
	return k.kept
}

// folder makes the store's folder, once, with the seed of its digests.
func (s *Store) folder() error {
	s.making.Lock()
	defer s.making.Unlock()
	if s.made {
		return nil
	}
	s.made = true
	if err := site.MakeOwnDir(filepath.Dir(s.dir)); err != nil {
		return err
	}
	if err := os.Mkdir(s.dir, 0o755); err != nil {
		if info, lerr := fsys.Lstat(s.dir); lerr != nil || !info.IsDir() || !fsys.Mine(info) {
			return err
		}
	}
	seed := binary.LittleEndian.AppendUint64(nil, s.seed)
	if was, err := fsys.Read(s.at("seed"), 64); err == nil && bytes.Equal(was, seed) {
		return nil
	}
	return fsys.Replace(s.at("seed"), seed)
}

// Sweep removes what is kept of pages that are no more, and the folders of audits long ago.
func (s *Store) Sweep() {
	ours := map[string]bool{"seed": true}
	for _, sh := range s.shards {
		ours[sh.name] = true
	}
	entries, _ := fsys.ReadDir(s.dir)
	for _, e := range entries {
		if !ours[e.Name()] && strings.HasPrefix(e.Name(), "pages-") && e.Type().IsRegular() {
			fsys.Remove(s.at(e.Name()))
		}
	}
	parent := filepath.Dir(s.dir)
	type other struct {
		name string
		when int64
	}
	var others []other
	entries, _ = fsys.ReadDir(parent)
	for _, e := range entries {
		if info, err := e.Info(); err == nil && e.IsDir() && strings.HasPrefix(e.Name(), prefix) {
			others = append(others, other{e.Name(), info.ModTime().UnixNano()})
		}
	}
	slices.SortFunc(others, func(a, b other) int { return cmp.Compare(b.when, a.when) })
	for _, o := range others[min(len(others), mostFolders):] {
		if filepath.Join(parent, o.name) != s.dir {
			remove(filepath.Join(parent, o.name))
		}
	}
}

// remove removes the folder of a store, and nothing in it that is none of a store's.
func remove(dir string) {
	entries, _ := fsys.ReadDir(dir)
	for _, e := range entries {
		if (e.Name() == "seed" || strings.HasPrefix(e.Name(), "pages-")) && e.Type().IsRegular() {
			fsys.Remove(filepath.Join(dir, e.Name()))
		}
	}
	fsys.Remove(dir)
}
