// Package reload keeps a gate in effect while a server runs: it reads the gate file again when that,
// or anything that it names, changes, and when a day begins. A gate that has a mistake changes
// nothing; the last good one stays, and what is wrong is told.
package reload

import (
	"context"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/fsnotify/fsnotify"

	"yellowgate/internal/core/problem"
	"yellowgate/internal/fsys"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// Options say which gate file is kept in effect.
type Options struct {
	Gate    string          // the gate file
	Project project.Options // how it is opened; Day "" for the day that it is
	Walk    bool            // the source folder is read, too, and watched
	// Told, if set, is called after each reading because of a change, by one goroutine at a time.
	Told func(*Reading)
}

// A Reading is what a reading of the gate file came to. It does not change.
type Reading struct {
	Project  *project.Project // the last good one; nil before there was one
	Problems []problem.Problem
	Err      error     // of the last reading; nil where Project is of it
	Day      string    // of Project
	Time     time.Time // of the newest change that it is made of
	Number   int       // how many readings there were
}

// A Watcher is a gate file that is kept in effect.
type Watcher struct {
	Options
	now atomic.Pointer[Reading]

	reading sync.Mutex
	stamps  map[string]fsys.Stamp // of what the last reading read; a zero stamp for what was not there
	silent  bool                  // nothing has changed that anybody was told of
	force   atomic.Bool           // what has no stamp changed: a file that came to a glob, a page

	mu        sync.Mutex
	listeners map[chan struct{}]bool
	watched   map[string]bool
	watcher   *fsnotify.Watcher
	missed    time.Time // when Missing read
}

// Open reads a gate file. Whether that went well says Now.
func Open(o Options) *Watcher {
	g := &Watcher{Options: o, listeners: map[chan struct{}]bool{}, watched: map[string]bool{}}
	g.now.Store(&Reading{})
	g.read()
	return g
}

// Now is what holds now.
func (g *Watcher) Now() *Reading { return g.now.Load() }

// Fresh reads the gate file again if anything that it depends on has changed, and returns what
// holds then.
func (g *Watcher) Fresh() *Reading {
	g.reading.Lock()
	defer g.reading.Unlock()
	if s := g.Now(); !g.force.Load() && !g.changed() && !g.newDay(s, time.Now()) {
		return s
	}
	g.settled()
	g.read()
	return g.Now()
}

// Again reads the gate file again, whatever has changed.
func (g *Watcher) Again() *Reading {
	g.reading.Lock()
	defer g.reading.Unlock()
	g.settled()
	g.read()
	return g.Now()
}

// Missing reads everything again because somebody asks for what is not there; at most once a second.
// It reports whether anything is new.
func (g *Watcher) Missing(now time.Time) bool {
	g.mu.Lock()
	soon := now.Sub(g.missed) < time.Second
	if !soon {
		g.missed = now
	}
	g.mu.Unlock()
	if soon {
		return false
	}
	g.reading.Lock()
	defer g.reading.Unlock()
	g.silent = true
	before := g.Now()
	g.read()
	g.silent = false
	return g.Now() != before
}

// Until calls back when something was read again; stop ends that.
func (g *Watcher) Until() (read <-chan struct{}, stop func()) {
	c := make(chan struct{}, 1)
	g.mu.Lock()
	g.listeners[c] = true
	g.mu.Unlock()
	return c, func() {
		g.mu.Lock()
		delete(g.listeners, c)
		g.mu.Unlock()
	}
}

// newDay reports whether dates have turned. A gate that is broken is not read for that: there is
// nothing that could.
func (g *Watcher) newDay(s *Reading, now time.Time) bool {
	return s.Project != nil && s.Err == nil && g.Project.Day == "" && s.Project.Gate.File.Dated() &&
		project.DayAt(s.Project.Gate.File, now) != s.Day
}

// changed reports whether a file is another than it was when it was read.
func (g *Watcher) changed() bool {
	for name, was := range g.stamps {
		if stamp(name) != was {
			return true
		}
	}
	return false
}

func stamp(name string) fsys.Stamp {
	info, err := os.Stat(name)
	if err != nil {
		return fsys.Stamp{}
	}
	return fsys.StampOf(info)
}

// settled waits until nobody writes any longer, for a second at most: half a gate file may be a gate
// file, too.
func (g *Watcher) settled() {
	const still = 40 * time.Millisecond
	for range 25 {
		before := g.stampsNow()
		time.Sleep(still)
		if maps.Equal(before, g.stampsNow()) {
			return
		}
	}
}

func (g *Watcher) stampsNow() map[string]fsys.Stamp {
	out := make(map[string]fsys.Stamp, len(g.stamps))
	for name := range g.stamps {
		out[name] = stamp(name)
	}
	return out
}

// read reads the gate file and puts it into effect. Where a file changes meanwhile, it reads again.
func (g *Watcher) read() {
	was := g.Now()
	next := &Reading{Number: was.Number + 1}
	for range 5 {
		g.force.Store(false)
		stamps := map[string]fsys.Stamp{}
		o := g.Project
		o.Note = func(file string) {
			if _, had := stamps[file]; !had {
				stamps[file] = stamp(file)
			}
		}
		next.Project, next.Problems, next.Err = project.Open(g.Options.Gate, o)
		if next.Err == nil && next.Project.Source != "" &&
			(g.Walk || next.Project.Gate.File.NamesSiblings() && !next.Project.MadeByServer()) {
			next.Err = next.Project.Walk()
		}
		if g.stamps = stamps; !g.changed() {
			break
		}
	}
	if next.Err != nil {
		next.Project, next.Problems, next.Day, next.Time = was.Project, was.Problems, was.Day, was.Time
	} else {
		next.Day = g.Project.Day
		if next.Day == "" {
			next.Day = project.DayAt(next.Project.Gate.File, time.Now())
		}
		next.Time = g.newest(next)
	}
	if g.silent && next.Err == nil && was.Err == nil && next.Project.Digest == was.Project.Digest &&
		slices.Equal(next.Project.Files, was.Project.Files) {
		return // there is nothing new
	}
	g.now.Store(next)
	g.watch(next)
	if g.Told != nil && !g.silent {
		g.Told(next)
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	for c := range g.listeners {
		select {
		case c <- struct{}{}:
		default: // it has not looked yet
		}
	}
}

// newest is the time of the newest of what a gate is made of: its files, this program, the beginning
// of the day where that counts.
func (g *Watcher) newest(s *Reading) (at time.Time) {
	names := slices.Collect(maps.Keys(g.stamps))
	if self, err := os.Executable(); err == nil {
		names = append(names, self)
	}
	for _, name := range names {
		if info, err := os.Stat(name); err == nil && info.ModTime().After(at) {
			at = info.ModTime()
		}
	}
	if s.Project.Gate.File.Dated() {
		zone := project.Zone(s.Project.Gate.File)
		if zone == nil {
			zone = time.Local
		}
		if day, err := time.ParseInLocation(time.DateOnly, s.Day, zone); err == nil && day.After(at) {
			at = day
		}
	}
	return at
}

// Run reads the gate file again whenever something changes, until ctx is done. Where the system
// tells of no changes (watched is false then), it looks once a second.
func (g *Watcher) Run(ctx context.Context) (watched bool) {
	w, err := fsnotify.NewWatcher()
	if err == nil {
		g.mu.Lock()
		g.watcher = w
		g.mu.Unlock()
		g.reading.Lock()
		watched = g.watch(g.Now())
		g.reading.Unlock()
	}
	go g.run(ctx, w)
	return watched
}

func (g *Watcher) run(ctx context.Context, w *fsnotify.Watcher) {
	var events <-chan fsnotify.Event
	var errs <-chan error
	if w != nil {
		events, errs = w.Events, w.Errors
		defer w.Close()
	}
	often := time.NewTicker(time.Second)
	defer often.Stop()
	var soon <-chan time.Time // changes come in swarms
	for {
		select {
		case <-ctx.Done():
			return
		case e := <-events:
			if e.Has(fsnotify.Remove) || e.Has(fsnotify.Rename) {
				g.mu.Lock()
				delete(g.watched, e.Name) // a folder that comes again is watched again
				g.mu.Unlock()
			}
			if e.Has(fsnotify.Chmod) && !e.Has(fsnotify.Write) || !g.concerns(e.Name) {
				continue
			}
			g.force.Store(true)
			if soon == nil {
				soon = time.After(30 * time.Millisecond)
			}
		case <-errs:
			g.force.Store(true) // events were lost
		case <-soon:
			soon = nil
			g.Fresh()
		case <-often.C:
			g.Fresh()
		}
	}
}

// concerns reports whether what happened to a file may change anything: it is one that was read, a
// gate file beside it, or one of the source.
func (g *Watcher) concerns(name string) bool {
	g.reading.Lock()
	_, read := g.stamps[name]
	g.reading.Unlock()
	ext := filepath.Ext(name)
	if read || ext == ".yaml" || ext == ".yml" {
		return true
	}
	s := g.Now()
	if !g.Walk || s.Project == nil || s.Project.Source == "" {
		return false
	}
	rel, in := fsys.Within(s.Project.Source, name)
	return in && rel != "." && !s.Project.Skip(rel, false)
}

// watch has the system tell of changes: in the folders of what was read, and in those of the source.
// It reports whether it does for all of them.
func (g *Watcher) watch(s *Reading) (all bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.watcher == nil {
		return false
	}
	all = true
	add := func(dir string) {
		if g.watched[dir] {
			return
		}
		if g.watcher.Add(dir) != nil {
			all = false
			return
		}
		g.watched[dir] = true
	}
	for name := range g.stamps {
		if _, err := os.Stat(filepath.Dir(name)); err == nil {
			add(filepath.Dir(name))
		}
	}
	if !g.Walk || s.Project == nil || s.Project.Source == "" {
		return all
	}
	source := s.Project.Source
	_ = filepath.WalkDir(source, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !d.IsDir() {
			return nil
		}
		if rel, in := fsys.Within(source, name); in && rel != "." && (s.Project.Skip(rel, true) || site.Hidden(rel)) {
			return filepath.SkipDir
		}
		add(name)
		return nil
	})
	return all
}
