// Package gatefile reads the gate file: YAML text to a Gate, with the position
// of everything, and with every problem found on the way.
//
// It settles what the file says, not what that does to a site: see verdict.
package gatefile

import (
	"regexp"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

// A Gate is all that the site's owner has decided.
type Gate struct {
	File    string // path of the gate file, as given
	Text    []byte
	Others  []File // the gate files it includes
	Site    Site
	Sets    []*Set
	Rules   []*Rule // defaults first, then metadata, each in the file's order
	Items   []*Item
	Pages   []*PerPage // in the file's order
	Blank   []*BlankPage
	Require []*Require
	Budgets []*Budget
	Accept  []*Accept
	Checks  []CheckSeverity
	Strict  bool

	// Selectors are those of all has() in the file, numbered: Has.ID is the
	// index.
	Selectors []*markup.Selector
	// HasAt are, by selector of Selectors, the queries that ask for it.
	HasAt [][]problem.Position

	// Contents are what placeholders ask of the content of pages, by name.
	Contents map[string]*Content
	// ContentSelectors are the selectors by which pages' content is read, those of Contents and others.
	ContentSelectors []*markup.Selector

	// Words are those of the site, by language in lower case, and name.
	Words map[string]map[string]*MetaValue

	// Manifest finds built files by name; nil where the site names none.
	Manifest *Manifest
	// ListFacts are the facts that are lists on some page.
	ListFacts map[string]bool
}

// A File is a gate file that another includes.
type File struct {
	Name string // as the user would write it
	Text []byte
}

// TextOf is the text of one of the gate's files, by its name in positions.
func (g *Gate) TextOf(file string) []byte {
	for _, f := range g.Others {
		if f.Name == file {
			return f.Text
		}
	}
	if file == g.File {
		return g.Text
	}
	return nil
}

// Dated reports whether an item has dates, so that the day matters.
func (g *Gate) Dated() bool {
	for _, it := range g.Items {
		if it.From.Value != "" || it.Until.Value != "" {
			return true
		}
	}
	return false
}

// Site is what the file says of the site as a whole.
type Site struct {
	Name, URL      Text
	Source, Output Text // folders, relative to the gate file
	Origin         Text // address of the server that makes the pages
	TimeZone       Text // IANA name, in which the site's days begin
	Facts          []Text
	Ignore         []Text
	Also           []Text // globs of dot-files to be copied
	Pages          []Text // globs of HTML files that are pages without looking like one
	Trust          []Text
	Outside        []Text // files and folders outside the gate file's that it may name
	Manifest       Text
	Spelling       page.Spelling
	Query          []string // parameters that make another page
	Marks          bool
	History        int64   // bytes of what was in effect that are kept
	Hosts          []Text  // names besides that of the address
	Pass           []Query // pages that the gateway leaves alone
}

// Trusts reports whether a host, in lower case, is among those of trust.
func (s *Site) Trusts(host string) bool {
	hosts := make([]string, len(s.Trust))
	for i, t := range s.Trust {
		hosts[i] = t.Value
	}
	return weburl.Trusts(hosts, host)
}

// A Text is a scalar of the file. Its position is that of its first character.
type Text struct {
	Value string
	Pos   problem.Position
}

// A Set is a page query with a name.
type Set struct {
	Name  string
	Query Query
	Like  Text // the set whose metadata and parameters it takes over, "" for none
	Note  string
	Pos   problem.Position

	likes []string // Like, and what that is like
}

// A Query is one entry under pages, except or sets.
type Query struct {
	pagequery.Expr
	Text string
	Note string
	Set  string // of a rule: the set that the text names, and nothing else
	Like string // the set like that one which is asked for here, "" for the named one
	Pos  problem.Position
}

// A Rule gives metadata to the pages that it chooses.
type Rule struct {
	Default       bool // under defaults: fills what a page lacks
	Pages, Except []Query
	Keys          []Key
	Note          string
	Pos           problem.Position
}

// A Require names metadata that pages must have in the end.
type Require struct {
	Pages []Query
	Keys  []Text
	Pos   problem.Position
}

// A BlankPage is a page that the gate makes.
type BlankPage struct {
	Path, Title, Lang, Body Text
	Pos                     problem.Position
}

// A Kind is what a part of an item is.
type Kind string

const (
	Script     Kind = "script"        // URL of a script
	Stylesheet Kind = "stylesheet"    // URL of a stylesheet
	ScriptText Kind = "inline script" // JavaScript
	StyleText  Kind = "inline style"  // CSS
	Code       Kind = "code"          // HTML
	Popup      Kind = "popup"         // the HTML of a popup's inside
	Structured Kind = "structured"    // a tree that comes out as JSON-LD
	Classes    Kind = "classes"       // class names for elements of the page
)

// Tagged reports whether a part of this kind is a tag that the tool writes.
func (k Kind) Tagged() bool { return k == Script || k == Stylesheet }

// A Part is one thing that an item writes.
type Part struct {
	Kind Kind
	Key  string // the item's key that it stands under
	// Text is the URL, the code or the class names. For a file it is what that
	// holds, once ReadFiles has read it.
	Text     string
	FromFile string // relative to the gate file; "" for text of the gate file itself
	Template *placeholder.Template
	Tree     *Tree // of structured data
	// Integrity is what a tag's integrity attribute says, once ReadFiles has settled it.
	Integrity string
	Only      []Query          // where the part is written; nil for wherever the item is in
	Selector  *markup.Selector // of classes
	Pos       problem.Position
	CodePos   problem.Position // where Text begins: in the gate file or in FromFile

	Includes []string // the files that the code includes, once ReadFiles has read them

	contents *Contents
	dir      string   // of the gate file, relative to the first: that of the files that it includes
	sources  []source // of Text, where it includes files
}

// An Item is a named thing that may load on a page.
type Item struct {
	Name          string
	Parts         []*Part
	Found         []Matcher
	Replaces      []Matcher
	Pages, Except []Query
	NotWith       []Text
	Place         *Place            // of all parts, or nil
	PartPlaces    map[string]*Place // by part key
	Each          bool
	Needs         []Text
	Before, After []Text
	Load          Text // defer, async, module, now, or ""
	Attrs         []Attr
	Media         Attr // its Value is nil where there is none
	Integrity     Text // a digest, auto, or ""
	Params        []*Param
	ParamsOn      []*ParamRule // in the file's order: the last that chooses a page counts
	Label         Attr         // likewise
	Opens         []*Open
	Again         Text // visit, always, once, or seconds
	From, Until   Text // days, as 2027-06-01
	Disabled      bool
	DisabledPos   problem.Position
	Note          string
	Pos           problem.Position
}

// FoundOnly reports whether the item writes nothing of its own.
func (it *Item) FoundOnly() bool { return len(it.Parts) == 0 }

// Popup returns the item's popup part, or nil.
func (it *Item) Popup() *Part {
	for _, p := range it.Parts {
		if p.Kind == Popup {
			return p
		}
	}
	return nil
}

// SpotOnly reports whether all that the item writes goes to spots.
func (it *Item) SpotOnly() bool {
	for _, p := range it.Parts {
		if p.Kind == Classes || it.PlaceOf(p).Name != AtSpot {
			return false
		}
	}
	return len(it.Parts) > 0
}

// HasSpot reports whether a part of the item goes to spots.
func (it *Item) HasSpot() bool {
	for _, p := range it.Parts {
		if p.Kind != Classes && it.PlaceOf(p).Name == AtSpot {
			return true
		}
	}
	return false
}

// An Open is one thing that opens a popup.
type Open struct {
	How   string // after, scroll, click, fragment, leaving
	Value string // seconds, a percentage, a selector, a fragment's name, or ""
	Pages []Query
	Pos   problem.Position
}

// An Attr is an attribute to be written on the tags of an item.
type Attr struct {
	Name   string
	Value  *placeholder.Template
	Text   string
	Remove bool // the value false: the tag shall not have it
	Pos    problem.Position
}

// A Matcher finds elements of the source page. One of its fields is set.
type Matcher struct {
	Selector *markup.Selector
	URL      string         // a glob
	Text     *regexp.Regexp // on inline scripts and styles
	Rendered bool           // scripts bring it: no page's text is expected to have it
	Raw      string
	Pos      problem.Position
}

// A Place is where parts go: one of the standard places, at a spot, or at a
// selector.
type Place struct {
	Name     string // head-start, head-end, body-start, body-end, spot; before, after, first-in, last-in, instead-of
	Selector *markup.Selector
	Pos      problem.Position
}

// The places.
const (
	HeadStart = "head-start"
	HeadEnd   = "head-end"
	BodyStart = "body-start"
	BodyEnd   = "body-end"
	AtSpot    = "spot"
	Before    = "before"
	After     = "after"
	FirstIn   = "first-in"
	LastIn    = "last-in"
	InsteadOf = "instead-of"
	// AtReplaced is where the first element stood that the item replaces. It
	// cannot be written; it is the default where there is one.
	AtReplaced = "in place of what it replaces"
)

func (p *Place) String() string {
	if p.Selector != nil {
		return p.Name + " " + p.Selector.String()
	}
	return p.Name
}

// PerPage is the last word on one page.
type PerPage struct {
	Path    string // as written
	In, Out []Text // names of items
	Params  []Setting
	Keys    []Key
	Note    string
	Pos     problem.Position
}

// A Setting gives a parameter of an item a value, on one page.
type Setting struct {
	Item, Name string
	Value      string
	Bare       bool                  // a number or a truth value of the gate file
	Template   *placeholder.Template // of a value with placeholders, else nil
	Pos        problem.Position
}

// Item returns the item of a name, or nil.
func (g *Gate) Item(name string) *Item {
	for _, it := range g.Items {
		if it.Name == name {
			return it
		}
	}
	return nil
}

// ItemNames lists the items' names in the file's order.
func (g *Gate) ItemNames() []string {
	names := make([]string, len(g.Items))
	for i, it := range g.Items {
		names[i] = it.Name
	}
	return names
}

// SetNames lists the page sets' names in the file's order.
func (g *Gate) SetNames() []string {
	names := make([]string, len(g.Sets))
	for i, s := range g.Sets {
		names[i] = s.Name
	}
	return names
}

// MetadataKeys are the metadata keys that stand on a page once and have no parts,
// in the order in which they are written into a page.
var MetadataKeys = []string{"title", "description", "canonical", "robots", "author", "keywords", "viewport", "lang"}
