// Package pageload is what a browser made of one page: its elements once scripts have run, every
// request with who asked for it, what went wrong, what was stored, measured and used. A record is a
// value that can be written down; it knows no browser.
//
// This file says what is recorded; link.go finds who asked for what; name.go gives requests the
// items that they belong to.
package pageload

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"yellowgate/internal/core/inventory"
)

// Format is the version of the record.
const Format = "yellowgate.rendered/1"

// A Record is one visit to one page, on a screen of one size.
type Record struct {
	Format string `json:"format"`
	Path   string `json:"path"`
	File   string `json:"file,omitempty"` // that was opened, where the site is a folder
	URL    string `json:"url"`            // where the visit ended
	Screen string `json:"screen"`         // as 1280x800
	Title  string `json:"title"`
	Lang   string `json:"lang,omitempty"` // of the html element
	// Unread says why there is no record: the browser crashed, hung, or did not open the page.
	Unread string `json:"unread,omitempty"`

	// Cut says how the visit was cut short: what the page does later is unknown.
	Cut string `json:"cut,omitempty"`

	Elements []DOMElement `json:"elements"`
	// Items are the items that the document has, those of code that loads nothing among them.
	Items    []string  `json:"items,omitempty"`
	Requests []Request `json:"requests"` // in the order in which they began; the page itself is the first
	Mistakes []Mistake `json:"mistakes,omitempty"`
	Stored   []Stored  `json:"stored,omitempty"`
	Measured Measured  `json:"measured"`
	Used     []Used    `json:"used,omitempty"`
	Counted  bool      `json:"counted,omitempty"` // of every script it is known whether it ran
	Dialogs  []Dialog  `json:"dialogs,omitempty"`
	Popups   []Popup   `json:"popups,omitempty"`  // that were tried: see Popup
	Removed  []Removed `json:"removed,omitempty"` // what scripts took out of the document

	// Sights are how the page stood after each of the steps that were done on it.
	Sights  []Sight `json:"-"`
	Picture []byte  `json:"-"` // of the screen, as JPEG, where one was asked for
	HTML    []byte  `json:"-"` // the document once it was quiet, written as HTML, in UTF-8
	Shadow  []Node  `json:"-"` // of its shadow trees, likewise
	Nodes   []Node  `json:"-"` // of the document, in its order, with who made them: see Adopt
}

// A Node is an element of the document as the browser lists it.
type Node struct {
	Tag string
	URL string // its src or href, as written
	By  *By    // the script that made it; nil for the parser
}

// A DOMElement is one element of the document that loads or describes something.
type DOMElement struct {
	Tag    string `json:"tag"`
	Area   string `json:"area"`             // head, body, or shadow: of a shadow tree
	URL    string `json:"url,omitempty"`    // as written
	Target string `json:"target,omitempty"` // resolved: the path within the site, or an absolute URL
	Party  string `json:"party"`            // own, third, inline
	What   string `json:"what,omitempty"`   // what it says: a title's text, a meta's name and content
	Item   string `json:"item"`
	// Came says who put it there: page (the parser) or script.
	Came string `json:"came"`
	By   *By    `json:"by,omitempty"`   // which script
	Text bool   `json:"text,omitempty"` // the page's text has it, too
	Line int    `json:"line,omitempty"` // in the page's text, where that has it
	Data string `json:"-"`              // the text of structured data, with LF as line ends
}

// By is a place in a script.
type By struct {
	URL     string `json:"url"`  // of the script; the page's own for an inline one
	Line    int    `json:"line"` // from 1
	Request int    `json:"request"`
}

// Why a request brought nothing. Other words are what the browser said.
const (
	Policy      = "policy"        // a Content Security Policy stopped it
	Mixed       = "mixed-content" // it goes without TLS, from a page that came with it
	Integrity   = "integrity"     // it is another file than its digest says
	CORS        = "cors"          // the other site does not let this one have it
	Refused     = "refused"       // nobody answers there
	NoHost      = "no-host"       // there is no such host
	TimedOut    = "timed-out"     //
	NotCalled   = "not-called"    // it goes to a third party, and those are not called
	KeptBack    = "kept-back"     // another site's answer is of another kind than was asked for (Opaque Response Blocking)
	WrongType   = "wrong-type"    // its media type is not that of what was asked for
	Aborted     = "aborted"       // the page went on, or took it back
	NotFinished = "not-finished"  // it was under way when the visit ended
)

// A Request is one thing that the page asked for.
type Request struct {
	URL    string `json:"url"`
	Target string `json:"target"` // the path within the site, or the URL
	Party  string `json:"party"`  // own or third
	Kind   string `json:"kind"`   // document, frame, script, style, image, font, media, fetch, socket, other
	Method string `json:"method"`
	Status int    `json:"status"` // 0 where nothing answered
	Failed string `json:"failed,omitempty"`
	Detail string `json:"detail,omitempty"` // what the browser said, or which directive

	Wire     int64   `json:"wire"`  // bytes that came, heads included
	Bytes    int64   `json:"bytes"` // of the body, decoded
	Coding   string  `json:"coding,omitempty"`
	Mime     string  `json:"mime,omitempty"` // the media type of what came
	Protocol string  `json:"protocol,omitempty"`
	Cached   bool    `json:"cached,omitempty"`
	Begun    float64 `json:"begun"` // ms after the visit began
	Ended    float64 `json:"ended"` // 0 where it did not

	Asked Initiator `json:"asked"`
	Item  string    `json:"item"`

	id string // by which the browser knows it
}

// Answered is the status with which the page itself came, after redirects; 0 where nothing did.
func (r *Record) Answered() int {
	status, at := 0, 0
	for i := range r.Requests {
		if x := &r.Requests[i]; i == 0 || x.Asked.By == "redirect" && x.Asked.Request == at {
			status, at = x.Status, i
		}
	}
	return status
}

// ID is the name under which a browser or a file knows a request.
func (r *Request) ID() string { return r.id }

// SetID sets that.
func (r *Request) SetID(id string) { r.id = id }

// Initiator says who asked for a request.
type Initiator struct {
	By   string `json:"by"` // page (the parser), script, style, preload, redirect, other
	URL  string `json:"url,omitempty"`
	Line int    `json:"line,omitempty"` // from 1
	// Request is the number of the request that brought what asked; -1 for the page itself.
	Request int `json:"request"`
}

// A Mistake is an exception that nobody caught, an error on the console, or code that a policy of the
// page did not let in.
type Mistake struct {
	Kind    string `json:"kind"` // exception, console or policy
	Message string `json:"message"`
	URL     string `json:"url,omitempty"`
	Line    int    `json:"line,omitempty"`
	Request int    `json:"request"` // that brought the script; -1 for the page itself
	Item    string `json:"item"`
}

// A Stored is something that the page wrote down in the browser; its value is not recorded.
type Stored struct {
	Kind  string `json:"kind"` // cookie, local, session, database, cache
	Name  string `json:"name"`
	Host  string `json:"host"`
	Days  int    `json:"days,omitempty"` // that a cookie lives; 0 to the end of the session
	Third bool   `json:"third,omitempty"`
}

// Measured is what the browser measured. Times are ms after the visit began.
type Measured struct {
	FirstPaint   float64 `json:"firstPaint"`   // First Contentful Paint
	LargestPaint float64 `json:"largestPaint"` // Largest Contentful Paint
	LargestIs    string  `json:"largestIs,omitempty"`
	Shift        float64 `json:"shift"` // Cumulative Layout Shift
	Shifts       []Shift `json:"shifts,omitempty"`
	Blocking     float64 `json:"blocking"` // ms over 50 of each long task
	Nodes        int     `json:"nodes"`    // elements of the document
	Loaded       float64 `json:"loaded"`   // the load event
}

// A Shift is one layout shift, and what moved.
type Shift struct {
	Value    float64  `json:"value"`
	Elements []string `json:"elements"`
}

// A Used is how much of a script or stylesheet was used.
type Used struct {
	URL    string `json:"url"`
	Target string `json:"target"`
	Kind   string `json:"kind"` // script or style
	Bytes  int    `json:"bytes"`
	Used   int    `json:"used"` // bytes of it
	Item   string `json:"item"`
}

// A Dialog is one that stood open, or a box that lies over the page.
type Dialog struct {
	ID     string  `json:"id,omitempty"`
	Is     string  `json:"is,omitempty"` // the box's element: tag#id.class; "" for a dialog element
	Item   string  `json:"item"`
	Covers float64 `json:"covers"` // share of the screen
	// Modal says that nothing else of the page can be used while it is open (HTML, section 4.11.4).
	Modal bool `json:"modal,omitempty"`
}

// A Removed is something that a script took out of the document and did not put back.
type Removed struct {
	Tag  string `json:"tag,omitempty"`
	URL  string `json:"url,omitempty"`  // its src or href, as written
	Mark string `json:"mark,omitempty"` // the item's name, of a mark
	// Within is the item whose mark stood before it; "" for none.
	Within string `json:"within,omitempty"`
	From   string `json:"from"`         // the element that it was taken out of: tag#id.class
	By     *By    `json:"by,omitempty"` // the script that took it out; nil where that is not known
}

// A Popup is a way to open a popup that was tried, and what came of it.
type Popup struct {
	ID     string `json:"id"`
	Item   string `json:"item"`
	Way    string `json:"way"`    // fragment, click, after, scroll or leaving
	With   string `json:"with"`   // the fragment's name, or the selector
	Opened bool   `json:"opened"` // it stood open after that
	Closed bool   `json:"closed"` // by Escape, or Enter on its closing button
}

// ByID is the number of the last request of an ID, or -1.
func (r *Record) ByID(id string) int {
	for i := len(r.Requests) - 1; i >= 0; i-- {
		if r.Requests[i].id == id {
			return i
		}
	}
	return -1
}

// Hosts are the hosts of third parties that were asked, or would have been, each once, sorted.
func (r *Record) Hosts() (hosts []string) {
	for i := range r.Requests {
		if x := &r.Requests[i]; x.Party == "third" {
			if h := hostOf(x.URL); h != "" && !slices.Contains(hosts, h) {
				hosts = append(hosts, h)
			}
		}
	}
	slices.Sort(hosts)
	return hosts
}

// Has reports whether the browser has an item: in its document, or asked for.
func (r *Record) Has(item string) bool {
	return slices.Contains(r.Items, item) ||
		slices.ContainsFunc(r.Elements, func(e DOMElement) bool { return e.Item == item }) ||
		slices.ContainsFunc(r.Requests, func(x Request) bool { return x.Item == item })
}

// Rebuilt are, by the pages' paths, the elements out of which scripts took marks of items.
func Rebuilt(records []*Record) map[string][]string {
	out := map[string][]string{}
	for _, r := range records {
		for _, x := range r.Removed {
			if x.Mark != "" {
				out[r.Path] = append(out[r.Path], x.From)
			}
		}
	}
	return out
}

// TookMark is the mark of an item that a script took out; nil for none.
func (r *Record) TookMark(item string) *Removed {
	return r.took(func(x *Removed) bool { return x.Mark == item })
}

// Took is what a script took out of an item: its mark, or else what stood after that or is one of its elements; nil for
// nothing.
func (r *Record) Took(item string, elements []*inventory.Element) *Removed {
	if mark := r.TookMark(item); mark != nil {
		return mark
	}
	return r.took(func(x *Removed) bool {
		same := func(e *inventory.Element) bool { return x.Tag == e.Tag && x.URL == e.URL }
		return x.Tag != "" && (x.Within == item || slices.ContainsFunc(elements, same))
	})
}

func (r *Record) took(is func(*Removed) bool) *Removed {
	for i := range r.Removed {
		if is(&r.Removed[i]) {
			return &r.Removed[i]
		}
	}
	return nil
}

// String says out of which element it was taken, and by which script where that is known.
func (x *Removed) String() string {
	if x.By == nil {
		return x.From
	}
	return fmt.Sprintf("%s (%s:%d)", x.From, x.By.URL, x.By.Line)
}

// Measure is what a visit came to, by the key of a budget that only a browser measures: bytes, requests, ms, or
// thousandths of a layout shift.
func (r *Record) Measure(key string) int {
	switch key {
	case "wire":
		return int(r.Wire())
	case "requests-made":
		return len(r.Requests)
	case "paint":
		return int(r.Measured.LargestPaint)
	case "shift":
		return int(r.Measured.Shift * 1000)
	case "blocking-time":
		return int(r.Measured.Blocking)
	}
	return 0
}

// Brought tells which script put an item into the page, or asked for it; "" where the page itself did.
func (r *Record) Brought(item string) string {
	by := ""
	for i := range r.Elements {
		switch e := &r.Elements[i]; {
		case e.Item != item:
		case e.Came == "page":
			return ""
		case by == "":
			by = r.Places(e.By)
		}
	}
	for i := 1; i < len(r.Requests); i++ {
		switch x := &r.Requests[i]; {
		case x.Item != item:
		case x.Asked.By == "page":
			return ""
		case by == "":
			by = r.Asks(i)
		}
	}
	return by
}

// Asks tells which script asked for a request, and what brought that; "" for the page.
func (r *Record) Asks(i int) string {
	if chain := r.Chain(i); len(chain) >= 2 {
		return r.Tell(chain[:len(chain)-1])
	}
	if r.Requests[i].Asked.By == "script" {
		return "a script of the page"
	}
	return ""
}

// Lost says why a request brought nothing: a word of those above, or the answer's status; "" where it
// did, or where nobody can tell.
func (x *Request) Lost() string {
	switch {
	case x.Failed == NotCalled || x.Failed == Aborted || x.Failed == NotFinished:
		return ""
	case x.Failed != "":
		return x.Failed
	case x.Status >= 400:
		return strconv.Itoa(x.Status)
	}
	return ""
}

// Left reports whether the page led on to another by itself: what the record has of a document is then
// that of the other. Where a server redirects, it is the page that it leads to.
func (r *Record) Left() bool {
	for i := 1; i < len(r.Requests); i++ {
		if x := &r.Requests[i]; x.Kind == "document" && x.Asked.By != "redirect" {
			return true
		}
	}
	return false
}

// Moved is the path at which the page is in the end, where a script gave it another address without loading one (HTML,
// 7.4.4: history.pushState); "" where none did.
func (r *Record) Moved() string {
	came := ""
	for i := range r.Requests {
		if x := &r.Requests[i]; x.Kind == "document" {
			came = x.URL
		}
	}
	was, err := url.Parse(came)
	is, err2 := url.Parse(r.URL)
	if err != nil || err2 != nil || came == "" || was.EscapedPath() == is.EscapedPath() {
		return ""
	}
	return is.Path
}

// Unasked reports whether a request is the browser's own, for an icon that nobody named. It is made once
// in a while, whatever the page is.
func (x *Request) Unasked() bool {
	return x.Asked.By == "other" && strings.HasSuffix(x.URL, "/favicon.ico")
}

// Wire is the sum of the bytes that came.
func (r *Record) Wire() (sum int64) {
	for i := range r.Requests {
		sum += r.Requests[i].Wire
	}
	return sum
}

// A Summary is what visits come to.
type Summary struct {
	Visits     int     `json:"visits"`
	Requests   int     `json:"requests"`
	Failed     int     `json:"failed"` // of the requests: that brought nothing
	Wire       int64   `json:"wire"`   // bytes that came
	Paint      float64 `json:"paint"`  // ms until the largest paint, median of the visits
	Shift      float64 `json:"shift"`  // layout shift, of all visits together
	Blocking   float64 `json:"blocking"`
	Exceptions int     `json:"exceptions"`
}

// SumOf adds up the visits that were read; nil for none.
func SumOf(records []*Record) *Summary {
	s := &Summary{}
	var paints []float64
	for _, r := range records {
		if r.Unread != "" {
			continue
		}
		s.Visits, s.Requests, s.Wire = s.Visits+1, s.Requests+len(r.Requests), s.Wire+r.Wire()
		s.Shift, s.Blocking = s.Shift+r.Measured.Shift, s.Blocking+r.Measured.Blocking
		for i := range r.Requests {
			if x := &r.Requests[i]; x.Lost() != "" && !x.Unasked() {
				s.Failed++
			}
		}
		for i := range r.Mistakes {
			if r.Mistakes[i].Kind == "exception" {
				s.Exceptions++
			}
		}
		if r.Measured.LargestPaint > 0 {
			paints = append(paints, r.Measured.LargestPaint)
		}
	}
	if slices.Sort(paints); len(paints) > 0 {
		s.Paint = paints[len(paints)/2]
	}
	if s.Visits == 0 {
		return nil
	}
	return s
}
