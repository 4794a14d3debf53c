// Package har reads and writes recordings of what a browser asked for, in the HTTP Archive format (HAR
// 1.2), so that one of another browser, a phone or a site behind a login can be audited.
//
// A recording has requests and times and no document: what only the document shows is not in the
// records that are read from one.
package har

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/url"
	"strings"
	"time"

	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
)

// The members of the format that are read or written. Others are passed over.
type file struct {
	Log logged `json:"log"`
}

type logged struct {
	Version string    `json:"version"`
	Creator creator   `json:"creator"`
	Pages   []harPage `json:"pages"`
	Entries []entry   `json:"entries"`
}

type creator struct {
	Name    string `json:"name"`
	Version string `json:"version"`
}

type harPage struct {
	Started time.Time `json:"startedDateTime"`
	ID      string    `json:"id"`
	Title   string    `json:"title"`
	Timings struct {
		Content float64 `json:"onContentLoad"`
		Load    float64 `json:"onLoad"`
	} `json:"pageTimings"`
}

type entry struct {
	Page     string    `json:"pageref,omitempty"`
	Started  time.Time `json:"startedDateTime"`
	Time     float64   `json:"time"`
	Request  request   `json:"request"`
	Response response  `json:"response"`
	Cache    struct{}  `json:"cache"`
	Timings  timings   `json:"timings"`
	// Of the recordings that browsers write.
	Initiator *initiator `json:"_initiator,omitempty"`
	Kind      string     `json:"_resourceType,omitempty"`
	FromCache string     `json:"_fromCache,omitempty"`
}

type request struct {
	Method      string   `json:"method"`
	URL         string   `json:"url"`
	Version     string   `json:"httpVersion"`
	Cookies     []any    `json:"cookies"`
	Headers     []header `json:"headers"`
	Query       []header `json:"queryString"`
	HeadersSize int      `json:"headersSize"`
	BodySize    int      `json:"bodySize"`
}

type response struct {
	Status      int      `json:"status"`
	Text        string   `json:"statusText"`
	Version     string   `json:"httpVersion"`
	Cookies     []any    `json:"cookies"`
	Headers     []header `json:"headers"`
	Content     content  `json:"content"`
	Redirect    string   `json:"redirectURL"`
	HeadersSize int      `json:"headersSize"`
	BodySize    int64    `json:"bodySize"`
	Transfer    int64    `json:"_transferSize,omitempty"`
	Error       string   `json:"_error,omitempty"`
}

type content struct {
	Size int64  `json:"size"`
	Mime string `json:"mimeType"`
}

type header struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type timings struct {
	Send    float64 `json:"send"`
	Wait    float64 `json:"wait"`
	Receive float64 `json:"receive"`
}

type initiator struct {
	Type string  `json:"type"`
	URL  string  `json:"url,omitempty"`
	Line float64 `json:"lineNumber,omitempty"` // from 0
	// Stack is that of a script.
	Stack *stack `json:"stack,omitempty"`
}

type stack struct {
	Frames []struct {
		URL  string  `json:"url"`
		Line float64 `json:"lineNumber"`
	} `json:"callFrames"`
	Parent *stack `json:"parent,omitempty"`
}

// unknownMime stands for a media type that nobody said: a recording has to have one.
const unknownMime = "x-unknown"

// mostEntries is how many requests of a recording are read.
const mostEntries = 200_000

// Read reads a recording: a record for each of its pages, in their order. Requests of no page belong to
// the one that began before them.
func Read(text []byte) ([]*pageload.Record, error) {
	var f file
	if err := json.Unmarshal(text, &f); err != nil {
		var syntax *json.SyntaxError
		if errors.As(err, &syntax) {
			return nil, fmt.Errorf("it is not JSON: %w, at byte %d", err, syntax.Offset)
		}
		return nil, fmt.Errorf("it is not a HAR: %w", err)
	}
	switch {
	case len(f.Log.Entries) == 0:
		return nil, errors.New("it is not a HAR with requests: log.entries is empty or missing")
	case len(f.Log.Entries) > mostEntries:
		return nil, fmt.Errorf("it has %d requests, more than %d", len(f.Log.Entries), mostEntries)
	}
	if len(f.Log.Pages) == 0 { // some write none
		f.Log.Pages = []harPage{{Started: f.Log.Entries[0].Started, ID: f.Log.Entries[0].Page}}
	}
	at := map[string]int{}
	records := make([]*pageload.Record, len(f.Log.Pages))
	for i, p := range f.Log.Pages {
		at[p.ID] = i
		records[i] = &pageload.Record{
			Format:   pageload.Format,
			Elements: []pageload.DOMElement{},
			Requests: []pageload.Request{},
		}
		records[i].Measured.Loaded = math.Max(p.Timings.Load, 0)
	}
	addRequests(records, at, &f)
	var out []*pageload.Record
	for _, r := range records {
		if len(r.Requests) == 0 {
			continue
		}
		u, err := url.Parse(r.Requests[0].URL)
		if err != nil || u.Host == "" {
			continue
		}
		r.URL, r.Path = r.Requests[0].URL, page.Clean(u.EscapedPath())
		out = append(out, r)
	}
	if len(out) == 0 {
		return nil, errors.New("it has no page: no request with an address of a host")
	}
	return out, nil
}

// addRequests gives each record its requests. at has the number of each page by its id.
func addRequests(records []*pageload.Record, at map[string]int, f *file) {
	last := 0
	redirects := make([]map[string]int, len(records)) // by page, where one leads -> its number
	for k := range f.Log.Entries {
		e := &f.Log.Entries[k]
		i, known := at[e.Page]
		if !known {
			i = last
		}
		last = i
		r := records[i]
		if strings.HasPrefix(e.Request.URL, "data:") || strings.HasPrefix(e.Request.URL, "blob:") {
			continue
		}
		x := requestOf(e, f.Log.Pages[i].Started, len(r.Requests))
		if from, ok := redirects[i][x.URL]; ok {
			x.Asked = pageload.Initiator{By: "redirect", URL: r.Requests[from].URL, Request: from}
			if x.Kind == "frame" {
				x.Kind = r.Requests[from].Kind
			}
		}
		if to := redirectOf(e, x.URL); to != "" {
			if redirects[i] == nil {
				redirects[i] = map[string]int{}
			}
			redirects[i][to] = len(r.Requests)
		}
		r.Requests = append(r.Requests, x)
	}
}

// redirectOf is the address to which a response redirects; "" for none.
func redirectOf(e *entry, from string) string {
	if e.Response.Redirect == "" || e.Response.Status < 300 || e.Response.Status >= 400 {
		return ""
	}
	to, err := url.Parse(e.Response.Redirect)
	base, err2 := url.Parse(from)
	if err != nil || err2 != nil {
		return ""
	}
	return base.ResolveReference(to).String()
}

// kinds are what browsers call what requests are for.
var kinds = map[string]string{
	"document": "document", "stylesheet": "style", "script": "script", "image": "image", "font": "font",
	"media": "media", "xhr": "fetch", "fetch": "fetch", "websocket": "socket", "ping": "fetch",
	"eventsource": "fetch",
}

// written is what a kind is called in a recording.
var written = map[string]string{
	"document": "document", "frame": "document", "style": "stylesheet", "script": "script", "image": "image",
	"font": "font", "media": "media", "fetch": "fetch", "socket": "websocket", "other": "other",
}

func requestOf(e *entry, began time.Time, number int) pageload.Request {
	x := pageload.Request{
		URL:    e.Request.URL,
		Method: e.Request.Method,
		Status: max(e.Response.Status, 0),
		Bytes:  max(e.Response.Content.Size, 0),
		Kind:   kinds[e.Kind],
		Cached: e.FromCache != "",
		Mime:   strings.TrimPrefix(e.Response.Content.Mime, unknownMime),
	}
	x.Begun = float64(e.Started.Sub(began).Microseconds()) / 1000
	x.Ended = x.Begun + math.Max(e.Time, 0)
	x.Protocol = strings.ToLower(e.Response.Version)
	switch {
	case e.Response.Transfer > 0:
		x.Wire = e.Response.Transfer
	case e.Response.BodySize > 0:
		x.Wire = e.Response.BodySize + int64(max(e.Response.HeadersSize, 0))
	}
	for _, h := range e.Response.Headers {
		if strings.EqualFold(h.Name, "content-encoding") {
			x.Coding = h.Value
		}
	}
	if x.Kind == "" {
		x.Kind = kindOf(e.Response.Content.Mime, number)
	}
	if x.Kind == "document" && number > 0 {
		x.Kind = "frame"
	}
	if e.Response.Status <= 0 || e.Response.Error != "" {
		x.Failed, x.Detail = failure(e.Response.Error), e.Response.Error
	}
	x.Asked = askedOf(e.Initiator)
	return x
}

// kindOf is what a request is for, by the type of what came.
func kindOf(mime string, number int) string {
	mime, _, _ = strings.Cut(strings.ToLower(mime), ";")
	switch {
	case mime == "text/html" && number == 0:
		return "document"
	case mime == "text/html":
		return "frame"
	case mime == "text/css":
		return "style"
	case strings.Contains(mime, "javascript") || strings.Contains(mime, "ecmascript"):
		return "script"
	case strings.HasPrefix(mime, "image/"):
		return "image"
	case strings.HasPrefix(mime, "font/"), strings.Contains(mime, "font"):
		return "font"
	case strings.HasPrefix(mime, "video/"), strings.HasPrefix(mime, "audio/"):
		return "media"
	}
	return "other"
}

// failure says why nothing answered, as far as the recording tells.
func failure(text string) string {
	switch upper := strings.ToUpper(text); {
	case strings.Contains(upper, "NAME_NOT_RESOLVED"):
		return pageload.NoHost
	case strings.Contains(upper, "CONNECTION_REFUSED"):
		return pageload.Refused
	case strings.Contains(upper, "TIMED_OUT"):
		return pageload.TimedOut
	case strings.Contains(upper, "ABORTED"), text == "":
		return pageload.Aborted
	case strings.Contains(upper, "BLOCKED_BY_CSP"):
		return pageload.Policy
	case strings.Contains(upper, "BLOCKED"):
		return pageload.NotCalled
	}
	return strings.ToLower(strings.TrimPrefix(text, "net::"))
}

func askedOf(i *initiator) (a pageload.Initiator) {
	a.Request, a.By = -1, "other"
	if i == nil {
		return a
	}
	a.URL, a.Line = i.URL, int(i.Line)+1
	switch i.Type {
	case "parser":
		a.By = "page"
	case "script":
		a.By = "script"
		depth := 0
		for s := i.Stack; s != nil && depth < 20; s, depth = s.Parent, depth+1 {
			if len(s.Frames) > 0 {
				a.URL, a.Line = s.Frames[0].URL, int(s.Frames[0].Line)+1
				break
			}
		}
	case "preload", "redirect":
		a.By = i.Type
	}
	if a.URL == "" {
		a.Line = 0
	}
	return a
}

// Write writes records as one recording, as if all visits had begun at a moment.
func Write(records []*pageload.Record, version string, began time.Time) ([]byte, error) {
	f := file{logged{Version: "1.2", Creator: creator{"Yellow Gate", version}, Pages: []harPage{}, Entries: []entry{}}}
	for n, r := range records {
		if r.Unread != "" {
			continue
		}
		p := harPage{Started: began, ID: fmt.Sprintf("page_%d", n+1), Title: r.Title}
		p.Timings.Content, p.Timings.Load = -1, r.Measured.Loaded
		f.Log.Pages = append(f.Log.Pages, p)
		for i := range r.Requests {
			f.Log.Entries = append(f.Log.Entries, entryOf(&r.Requests[i], p.ID, began, r))
		}
	}
	return json.MarshalIndent(f, "", " ")
}

func entryOf(x *pageload.Request, id string, began time.Time, r *pageload.Record) entry {
	took := math.Max(x.Ended-x.Begun, 0)
	e := entry{Page: id, Started: began.Add(time.Duration(x.Begun * float64(time.Millisecond))), Time: took,
		Timings: timings{0, took, 0}, Kind: written[x.Kind]}
	if x.Cached {
		e.FromCache = "memory"
	}
	none := []any{}
	e.Request = request{Method: x.Method, URL: x.URL, Version: x.Protocol, Cookies: none, Headers: []header{},
		Query: []header{}, HeadersSize: -1, BodySize: -1}
	if u, err := url.Parse(x.URL); err == nil {
		for pair := range strings.SplitSeq(u.RawQuery, "&") {
			if name, value, _ := strings.Cut(pair, "="); pair != "" {
				e.Request.Query = append(e.Request.Query, header{name, value})
			}
		}
	}
	e.Response = response{
		Status:      x.Status,
		Version:     x.Protocol,
		Cookies:     none,
		Headers:     []header{},
		Content:     content{Size: x.Bytes, Mime: cmp.Or(x.Mime, unknownMime)},
		HeadersSize: -1,
		BodySize:    -1,
		Transfer:    x.Wire,
		Error:       x.Failed,
	}
	for i := range r.Requests { // where it led
		if next := &r.Requests[i]; next.Asked.By == "redirect" && next.Asked.Request >= 0 &&
			&r.Requests[next.Asked.Request] == x {
			e.Response.Redirect = next.URL
		}
	}
	if x.Coding != "" {
		e.Response.Headers = append(e.Response.Headers, header{"content-encoding", x.Coding})
	}
	e.Initiator = &initiator{
		Type: map[string]string{"page": "parser", "style": "parser", "script": "script", "preload": "preload",
			"redirect": "redirect"}[x.Asked.By],
		URL:  x.Asked.URL,
		Line: math.Max(float64(x.Asked.Line-1), 0),
	}
	if e.Initiator.Type == "" {
		e.Initiator.Type = "other"
	}
	if x.Asked.By == "redirect" && x.Asked.Request >= 0 {
		e.Initiator.URL = r.Requests[x.Asked.Request].URL
	}
	return e
}
