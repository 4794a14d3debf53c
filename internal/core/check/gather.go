package check

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/wording"
)

// What pages load, for the checks that ask how many of them do, and for what is wrong in a file
// that several pages load: that is one mistake, at one place.

// loads is what one page loads of the site's own.
type loads struct {
	Own   []string  `json:"own,omitempty"`  // paths that elements load, one for each element
	Gets  []got     `json:"gets,omitempty"` // what the page gets by imports
	Asks  []request `json:"asks,omitempty"` // what files ask for, and is not there or another's
	HTTPS bool      `json:"https,omitempty"`

	Frames []string          `json:"frames,omitempty"` // pages of the site that it shows in frames
	Items  map[string]string `json:"items,omitempty"`  // scripts and stylesheets among them that an item claims -> item
}

// A got is a file that a page gets because the file By asks for it; "" for the page's own text.
type got struct {
	Target string `json:"target"`
	By     string `json:"by,omitempty"`
}

// A request is what a file of the site asks for: by an import, a url(), or code that runs.
type request struct {
	inventory.Import
	Named bool `json:"named,omitempty"` // by url()
}

// AllLoads is what the pages load.
type AllLoads struct {
	Pages    int
	Loaded   map[string]int // paths that elements load -> elements
	Imported map[string]*imported
	asked    map[string]*FileRequest // by the file that asks and the target
	Framed   map[string]bool         // pages that another one shows in a frame
	Items    map[string]string       // scripts and stylesheets that items claim -> the first item, by name
}

// imported is a file that pages get by imports.
type imported struct {
	Pages int
	By    string // the first file, by name, that imports it
}

// A FileRequest is a file that another file of the site asks for. Whatever is wrong with it is wrong
// there, however many pages load that file.
type FileRequest struct {
	request
	pages  int
	Secure bool // one of the pages comes over https
}

// Loads reports whether a page loads a file of the site, by an element or an import.
func (a *AllLoads) Loads(file string) bool { return a.Loaded[file] > 0 || a.Imported[file] != nil }

var LoadFact = &Kind[loads, AllLoads]{
	ID: "loads",
	Of: func(p *Pass) *loads {
		l := &loads{HTTPS: p.Base.Secure()}
		for e := range p.All() {
			if (e.Tag == "iframe" || e.Tag == "frame") && e.Ref.Own && e.URL != "" {
				l.Frames = append(l.Frames, e.Ref.Path)
			}
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Loads && e.Party == "own" {
				l.Own = append(l.Own, e.Ref.Path)
				if e.Item != "" && (e.IsScript() || e.IsStylesheet()) {
					if l.Items == nil {
						l.Items = map[string]string{}
					}
					l.Items[e.Ref.Path] = e.Item
				}
			}
			if Own(e) {
				for _, list := range [][]inventory.Import{e.Imports, e.Brings, e.Files} {
					for _, m := range list {
						if m.By != "" && (m.Dead || m.Party == "third") {
							l.Asks = append(l.Asks, request{m, m.Named})
						}
					}
				}
			}
			for _, m := range e.Gets() {
				l.Gets = append(l.Gets, got{m.Target, m.By})
			}
		}
		return l
	},
	Add: func(sum *AllLoads, _ PageAt, l *loads) {
		if sum.Loaded == nil {
			sum.Loaded, sum.Imported, sum.asked, sum.Items = map[string]int{}, map[string]*imported{},
				map[string]*FileRequest{}, map[string]string{}
			sum.Framed = map[string]bool{}
		}
		sum.Pages++
		for _, file := range l.Own {
			sum.Loaded[file]++
		}
		for _, page := range l.Frames {
			sum.Framed[page] = true
		}
		for file, item := range l.Items {
			if first := sum.Items[file]; first == "" || item < first {
				sum.Items[file] = item
			}
		}
		for _, m := range l.Gets {
			x := sum.Imported[m.Target]
			if x == nil {
				x = &imported{By: m.By}
				sum.Imported[m.Target] = x
			}
			x.Pages++
			if m.By != "" && (x.By == "" || m.By < x.By) {
				x.By = m.By
			}
		}
		for _, m := range l.Asks {
			key := m.By + "\x00" + m.Target
			a := sum.asked[key]
			if a == nil {
				a = &FileRequest{request: m}
				sum.asked[key] = a
			}
			a.pages++
			a.Secure = a.Secure || l.HTTPS
			a.Later = a.Later && m.Later
		}
	},
}

// Says tells who asks for it and on how many pages.
func (a *FileRequest) Says() string {
	how := a.How()
	if a.Named {
		how = "names"
	}
	return fmt.Sprintf("%s, loaded on %s, %s %s", a.By, wording.Count(a.pages, "page"), how, a.Written())
}

// EachAsked visits what files ask for, in one order.
func (s *SitePass) EachAsked(visit func(*FileRequest)) {
	all := LoadFact.All(s).asked
	for _, key := range slices.Sorted(maps.Keys(all)) {
		visit(all[key])
	}
}

// AtAsked adds a finding at the file that asks.
func (s *SitePass) AtAsked(a *FileRequest, message, remedy string) *Finding {
	line := max(a.Line, 1)
	if a.Line == 0 {
		line = s.LineOf(a.By, a.Target)
	}
	f := s.AtFile(a.By, line, message, remedy).Of(a.Target)
	f.Pages = a.pages
	return f
}

// EachCode visits what of a page may load a file: its tags, its scripts and styles, and comments
// that some browsers read. What stands in its text names a file and loads none.
func (p *Pass) EachCode(visit func(text []byte, script bool)) {
	text := p.Source.Text
	for _, t := range p.Scan.Tags {
		if t.End > t.NameEnd+5 {
			visit(text[t.NameEnd:t.End], false)
		}
	}
	for i := range p.Elements {
		if e := &p.Elements[i]; (e.Tag == "script" || e.Tag == "style") && e.El.ContentEnd > e.El.TagEnd {
			visit(text[e.El.TagEnd:e.El.ContentEnd], e.Tag == "script")
		}
	}
	for at := 0; ; {
		i := bytes.Index(text[at:], []byte("<!--[if"))
		if i < 0 {
			return
		}
		end := bytes.Index(text[at+i:], []byte("-->"))
		if end < 0 {
			return
		}
		visit(text[at+i:at+i+end], false)
		at += i + end
	}
}

// LineOf is the line of a file of the site in which the name of another stands first.
func (s *SitePass) LineOf(file, target string) int {
	text, ok := s.Site.ReadFile(file)
	name := target[strings.LastIndexByte(target, '/')+1:]
	i := bytes.Index(text, []byte(name))
	if !ok || i < 0 {
		return 1
	}
	return 1 + bytes.Count(text[:i], []byte("\n"))
}
