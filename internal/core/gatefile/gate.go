// Package gatefile reads the gate file: YAML text to a Gate, with the position
// of everything, and with every problem found on the way.
//
// It settles what the file says, not what that does to a site: see verdict.
package gatefile

import (
	"fmt"
	"regexp"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/placeholder"
)

// A Position is a place in a gate file or in a file that it names.
type Position struct {
	File   string // as the user would write it
	Line   int    // from 1
	Column int    // from 1, in characters
}

func (p Position) String() string {
	if p.Column == 0 {
		return fmt.Sprintf("%s:%d", p.File, p.Line)
	}
	return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
}

// A Gate is all that the site's owner has decided.
type Gate struct {
	File  string // path of the gate file, as given
	Text  []byte
	Site  Site
	Sets  []*Set
	Rules []*Rule // defaults first, then metadata, each in the file's order
	Items []*Item
	Pages []*PerPage // in the file's order

	// Selectors are those of all has() in the file, numbered: Has.ID is the
	// index.
	Selectors []*markup.Selector
}

// Site is what the file says of the site as a whole.
type Site struct {
	Name, URL      Text
	Source, Output Text // folders, relative to the gate file
	Facts          []Text
	Ignore         []Text
	Extensionless  bool
	Marks          bool
}

// A Text is a scalar of the file. Its position is that of its first character.
type Text struct {
	Value string
	Pos   Position
}

// A Set is a page query with a name.
type Set struct {
	Name  string
	Query Query
	Pos   Position
}

// A Query is one entry under pages, except or sets.
type Query struct {
	pagequery.Expr
	Text string
	Pos  Position
}

// A Rule gives metadata to the pages that it chooses.
type Rule struct {
	Default       bool // under defaults: fills what a page lacks
	Pages, Except []Query
	Keys          []Key
	Pos           Position
}

// A Key is one metadata key with its value.
type Key struct {
	Name     string // title, description, canonical, robots
	Value    *placeholder.Template
	Text     string
	None     bool // the value none: the page shall not have it
	Pos      Position
	ValuePos Position
}

// MetadataKeys are the metadata keys, in the order in which they are written
// into a page.
var MetadataKeys = []string{"title", "description", "canonical", "robots"}

// A Kind is what a part of an item is.
type Kind string

const (
	Script     Kind = "script"     // URL of a script
	Stylesheet Kind = "stylesheet" // URL of a stylesheet
	Code       Kind = "code"       // HTML, given in the gate file or in a file
)

// A Part is one thing that an item writes.
type Part struct {
	Kind Kind
	// Text is the URL or the code. For a code-file it is what the file holds,
	// once Load has read it.
	Text     string
	FromFile string // of a code-file, relative to the gate file
	Template *placeholder.Template
	Pos      Position
	CodePos  Position // where Text begins: in the gate file or in FromFile
}

// An Item is a named thing that may load on a page.
type Item struct {
	Name          string
	Parts         []*Part
	Found         []Matcher
	Pages, Except []Query
	Place         *Place
	Needs         []Text
	Before, After []Text
	Load          Text // defer, async, module, now, or ""
	Attrs         []Attr
	Disabled      bool
	DisabledPos   Position
	Note          string
	Pos           Position
}

// FoundOnly reports whether the item writes nothing of its own.
func (it *Item) FoundOnly() bool { return len(it.Parts) == 0 }

// An Attr is an attribute to be written on the tags of an item.
type Attr struct {
	Name  string
	Value *placeholder.Template
	Text  string
	Pos   Position
}

// A Matcher finds elements of the source page. One of its fields is set.
type Matcher struct {
	Selector *markup.Selector
	URL      string         // a glob
	Text     *regexp.Regexp // on inline scripts and styles
	Raw      string
	Pos      Position
}

// A Place is where parts go: one of the standard places, or at a selector.
type Place struct {
	Name     string // head-start, head-end, body-start, body-end; before, after, first-in, last-in, instead-of
	Selector *markup.Selector
	Pos      Position
}

// The places.
const (
	HeadStart = "head-start"
	HeadEnd   = "head-end"
	BodyStart = "body-start"
	BodyEnd   = "body-end"
	Before    = "before"
	After     = "after"
	FirstIn   = "first-in"
	LastIn    = "last-in"
	InsteadOf = "instead-of"
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
	Keys    []Key
	Pos     Position
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

// Severity orders problems.
type Severity uint8

const (
	Note Severity = iota
	Warning
	Error
)

func (s Severity) String() string { return [...]string{"note", "warning", "error"}[s] }

// A Problem is one thing that is wrong with a gate file, or worth knowing.
type Problem struct {
	Severity Severity
	Pos      Position
	Message  string
	Remedy   string // what to do about it; may be empty
	Line     string // the line of the file, if it has one
}

func (p Problem) Error() string { return p.Pos.String() + ": " + p.Message }

// Worst returns the highest severity among problems, and whether there is any.
func Worst(ps []Problem) (worst Severity, any bool) {
	for _, p := range ps {
		worst, any = max(worst, p.Severity), true
	}
	return worst, any
}
