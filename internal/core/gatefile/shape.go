package gatefile

import "reflect"

// The shape of a gate file: its keys, as they are written. The reader takes its
// lists of keys from these types, and the JSON Schema for editors is made from
// them, so that neither can drift from the other. Each field's doc tag is what an
// editor shows.

// Shape is the gate file as a whole.
type Shape struct {
	Yellowgate Version                    `key:"yellowgate"  doc:"version of the format: 1"`
	Include    Texts                      `key:"include"     doc:"more gate files (globs); paths in them are relative to them"`
	Site       SiteShape                  `key:"site"        doc:"the site as a whole"`
	Sets       map[string]SetOf           `key:"sets"        doc:"page queries with a name"`
	Words      map[string]map[string]Line `key:"words"       doc:"words by language, for @{words.NAME}: {en: {book: Book}, de: {book: Buchen}}"`
	Defaults   OneOrMore[RuleShape]       `key:"defaults"    doc:"metadata that fills what a page lacks"`
	Metadata   OneOrMore[PlacedRule]      `key:"metadata"    doc:"metadata that holds whatever the page had; later rules win, key by key"`
	Items      map[string]ItemShape       `key:"items"       doc:"named things that may load on a page"`
	PerPage    map[string]PerPageShape    `key:"per-page"    doc:"the last word on one page, by its path"`
	BlankPages OneOrMore[BlankShape]      `key:"blank-pages" doc:"pages that the gate makes"`
	Require    OneOrMore[RequireShape]    `key:"require"     doc:"metadata that pages must have in the end"`
	Budgets    OneOrMore[BudgetShape]     `key:"budgets"     doc:"what pages may weigh and load"`
	Accept     OneOrMore[AcceptShape]     `key:"accept"      doc:"findings of the audit that the owner has decided to live with"`
	Checks     map[CheckName]SeverityWord `key:"checks"      doc:"check: its severity here"`
	Strict     bool                       `key:"strict"      doc:"true: an element that no item claims is a warning"`
}

// SiteShape is what stands under site.
type SiteShape struct {
	Name          Line    `key:"name"          doc:"name of the site"`
	URL           SiteURL `key:"url"           doc:"the site's absolute address, such as https://ternhill.example"`
	Origin        Origin  `key:"origin"        doc:"address of the server that makes the pages, such as http://127.0.0.1:8000"`
	TimeZone      Line    `key:"time-zone"     doc:"time zone in which the site's days begin, such as Europe/Oslo; the machine's if none is named"`
	Source        Line    `key:"source"        doc:"folder of the pages as the site builds them; never written to"`
	Output        Line    `key:"output"        doc:"folder that apply writes"`
	Facts         Texts   `key:"facts"         doc:"facts files: CSV with a path column, JSON or YAML"`
	Ignore        Texts   `key:"ignore"        doc:"globs of files left alone and not copied"`
	Also          Texts   `key:"also"          doc:"globs of dot-files that are copied, such as .htaccess"`
	Pages         Texts   `key:"pages"         doc:"globs of HTML files that are pages though they have no html, head, body or title tag"`
	Trust         Texts   `key:"trust"         doc:"hosts whose third-party code is expected"`
	Outside       Texts   `key:"outside"       doc:"files and folders outside the gate file's folder that it may name as code, facts or includes"`
	Manifest      Line    `key:"manifest"      doc:"build manifest, a JSON object, for built: in URLs"`
	Extensionless bool    `key:"extensionless" doc:"true: the file about.html is the page /about"`
	Slashless     bool    `key:"slashless"     doc:"true: the file about/index.html is the page /about"`
	Query         Texts   `key:"query"         doc:"parameters of an address that make another page, such as p: /?p=2 is then a page of its own"`
	Marks         bool    `key:"marks"         doc:"false leaves out the comments around what is inserted"`
	History       Size    `key:"history"       doc:"how much is kept of the gate files that were in effect: a size, 100 MB if none is said; 0 keeps nothing"`

	Gateway GatewayShape `key:"gateway" doc:"what the gateway does"`
}

// GatewayShape is what stands under site.gateway.
type GatewayShape struct {
	Hosts Texts   `key:"hosts" doc:"names of the site besides that of its address, where there are several sites"`
	Pass  Queries `key:"pass" doc:"page queries on path, file, query.NAME, status: pages that pass as they came"`
}

// MetadataShape are the metadata keys.
type MetadataShape struct {
	Title       Line                  `key:"title"       doc:"text of the title element"`
	Description Line                  `key:"description" doc:"meta description"`
	Canonical   Line                  `key:"canonical"   doc:"address of the canonical link"`
	Robots      Line                  `key:"robots"      doc:"meta robots, such as noindex; none takes the element out"`
	Author      Line                  `key:"author"      doc:"meta author"`
	Keywords    Line                  `key:"keywords"    doc:"meta keywords"`
	Viewport    Line                  `key:"viewport"    doc:"meta viewport"`
	ThemeColor  MetaValues            `key:"theme-color" doc:"meta theme-color: a colour, {content, media}, or a list"`
	Icon        MetaValues            `key:"icon"        doc:"icon link: a URL, {href, sizes, type, media}, or a list"`
	Meta        map[string]Line       `key:"meta"        doc:"other meta elements: name: content"`
	Property    map[string]MetaValues `key:"property"    doc:"meta elements with a property: property: content"`
	Link        map[string]MetaValues `key:"link"        doc:"link elements: rel: URL, {href, hreflang, type, title, media, sizes}, or a list"`
	Alternates  map[string]Line       `key:"alternates"  doc:"the page in other languages: language: path with {rest}, such as /de/{rest}; those that there are"`
	Social      SocialShape           `key:"social"      doc:"what a shared link shows (Open Graph properties)"`
	Lang        Line                  `key:"lang"        doc:"language of the page: the lang attribute of html"`
}

// SocialShape is what stands under social.
type SocialShape struct {
	Title       Line `key:"title"       doc:"og:title"`
	Description Line `key:"description" doc:"og:description"`
	Image       Line `key:"image"       doc:"og:image, an absolute address"`
	Type        Line `key:"type"        doc:"og:type, such as article"`
	Site        Line `key:"site"        doc:"og:site_name"`
}

// RuleShape is one rule under defaults or metadata.
type RuleShape struct {
	Pages  Queries `key:"pages"  doc:"page query: for which pages"`
	Except Queries `key:"except" doc:"page query: and for which of them not"`
	Note   Line    `key:"note"   doc:"why"`
	MetadataShape
}

// SetShape is a page set that says more than its query.
type SetShape struct {
	Pages Queries `key:"pages" doc:"page query: which pages it has" jsonschema:"required"`
	Like  Name    `key:"like"  doc:"a set whose metadata and parameters it takes over, where it has none of its own"`
	Note  Line    `key:"note"  doc:"why"`
}

// NotedQuery is a page query with a note.
type NotedQuery struct {
	Pages Line `key:"pages" doc:"page query"  jsonschema:"required"`
	Note  Line `key:"note"  doc:"why"`
}

// PlacedRule is a rule that has to say for which pages it is.
type PlacedRule struct{ RuleShape }

// PerPageShape is the last word on one page.
type PerPageShape struct {
	In     Names                      `key:"in"     doc:"items that are in on this page"`
	Out    Names                      `key:"out"    doc:"items that are out on this page"`
	Params map[string]map[string]Line `key:"params" doc:"parameters on this page: item: {name: value}"`
	Note   Line                       `key:"note"   doc:"why"`
	MetadataShape
}

// ItemShape is one item.
type ItemShape struct {
	Script     Parts                 `key:"script"      doc:"URL or site path of a script"`
	ScriptFile Parts                 `key:"script-file" doc:"file of JavaScript, written inline"`
	ScriptText Parts                 `key:"script-text" doc:"JavaScript without tags, written inline"`
	Stylesheet Parts                 `key:"stylesheet"  doc:"URL or site path of a stylesheet"`
	StyleFile  Parts                 `key:"style-file"  doc:"file of CSS, written inline"`
	StyleText  Parts                 `key:"style-text"  doc:"CSS without tags, written inline"`
	CodeFile   Parts                 `key:"code-file"   doc:"file of HTML, written as it is"`
	Code       Parts                 `key:"code"        doc:"HTML, written as it is"`
	PopupFile  Line                  `key:"popup-file"  doc:"file with the HTML of a popup's inside"`
	Popup      Line                  `key:"popup"       doc:"HTML of a popup's inside"`
	Structured OneOrMore[Tree]       `key:"structured"  doc:"structured data: a tree that comes out as JSON-LD"`
	Questions  OneOrMore[Ask]        `key:"questions"   doc:"questions with answers, as structured data"`
	Classes    map[string]Line       `key:"classes"     doc:"selector: class names, added to the elements it matches"`
	Found      Matchers              `key:"found"       doc:"elements of the source page that belong to the item"`
	Replaces   Matchers              `key:"replaces"    doc:"elements of the source page that the item stands in for"`
	Pages      Queries               `key:"pages"       doc:"page query: where the item is in"`
	Except     Queries               `key:"except"      doc:"page query: pages that are excluded"`
	NotWith    Names                 `key:"not-with"    doc:"items that must never meet this one on a page"`
	Place      PlaceShape            `key:"place"       doc:"where its parts go"`
	Each       bool                  `key:"each"        doc:"true: at every match of the place's selector, not just the first"`
	Needs      Names                 `key:"needs"       doc:"items that must be there, earlier"`
	Before     Names                 `key:"before"      doc:"items that stand after this one"`
	After      Names                 `key:"after"       doc:"items that stand before this one"`
	Load       Loading               `key:"load"        doc:"how its scripts load"`
	Attrs      map[string]Line       `key:"attrs"       doc:"attributes for its tags"`
	Media      Line                  `key:"media"       doc:"media of its stylesheets and styles"`
	Integrity  Digest                `key:"integrity"   doc:"digest of its file, or auto for files of the site"`
	Params     map[string]ParamOf    `key:"params"      doc:"parameters with their values, and limits"`
	ParamsOn   OneOrMore[ParamsOnOf] `key:"params-on" doc:"parameters on some pages: {pages, except, note, NAME: value}, or a list; later ones win"`
	Label      Words                 `key:"label"       doc:"name of the popup for screen readers"`
	Open       OneOrMore[OpenOf]     `key:"open"        doc:"what opens the popup"`
	Again      Again                 `key:"again"       doc:"when a popup may open by itself again: visit, always, once, or a span such as 7d"`
	From       Day                   `key:"from"        doc:"first day, such as 2027-06-01"`
	Until      Day                   `key:"until"       doc:"last day"`
	Disabled   bool                  `key:"disabled"    doc:"true: kept for later, out everywhere"`
	Note       Line                  `key:"note"        doc:"why it is there"`
}

// OpenOf is one thing that opens a popup.
type OpenOf struct {
	After    Span     `key:"after"    doc:"a span after the page has loaded, such as 8s"`
	Scroll   Share    `key:"scroll"   doc:"a share of the page scrolled past, such as 60%"`
	Click    Line     `key:"click"    doc:"selector: a click on it"`
	Fragment Fragment `key:"fragment" doc:"the address ends in #NAME, or a link to it is followed"`
	Leaving  bool     `key:"leaving"  doc:"true: the pointer leaves the page at its top"`
	Pages    Queries  `key:"pages"    doc:"page query: only on these of the item's pages"`
}

// ParamOf is a parameter with limits; a bare value stands for one without.
type ParamOf struct {
	Value Line  `key:"value"  doc:"its value"              jsonschema:"required"`
	OneOf Texts `key:"one-of" doc:"the values it may have"`
	Min   Line  `key:"min"    doc:"the least it may be"`
	Max   Line  `key:"max"    doc:"the most it may be"`
}

// ParamsOnOf has values that parameters have on some pages.
type ParamsOnOf struct {
	Pages  Queries `key:"pages"  doc:"page query: on which of the item's pages" jsonschema:"required"`
	Except Queries `key:"except" doc:"page query: pages that are excluded"`
	Note   Line    `key:"note"   doc:"why"`
}

// Ask is a question with its answer.
type Ask struct {
	Ask    Words `key:"ask"    doc:"the question"        jsonschema:"required"`
	Answer Words `key:"answer" doc:"its answer, as text" jsonschema:"required"`
}

// PairsShape is where a page has questions and answers.
type PairsShape struct {
	From   Selector `key:"from"   doc:"selector: what holds questions and answers"                       jsonschema:"required"`
	Ask    Selector `key:"ask"    doc:"selector: the questions in it"                                    jsonschema:"required"`
	Answer Selector `key:"answer" doc:"selector: the answers; each belongs to the question before it" jsonschema:"required"`
}

// RowsShape is what structured data has for each row of a page.
type RowsShape struct {
	From Selector `key:"from" doc:"selector: the rows"`
	Each any      `key:"each" doc:"what is written for each, with row.text(SELECTOR) and row.attr(SELECTOR, NAME)"`
}

// OnlyShape is a part that is written on some of the item's pages only.
type OnlyShape struct {
	Value any     `key:"value" doc:"the part, as it stands there otherwise" jsonschema:"required"`
	Only  Queries `key:"only"  doc:"page query: on which of the item's pages" jsonschema:"required"`
}

// BlankShape is a page that the gate makes.
type BlankShape struct {
	Path  Path `key:"path"  doc:"path of the page, such as /sky-camera/" jsonschema:"required"`
	Title Line `key:"title" doc:"its title"`
	Lang  Line `key:"lang"  doc:"its language, such as en"`
	Body  Line `key:"body"  doc:"HTML of its body"`
}

// RequireShape is one entry under require.
type RequireShape struct {
	Pages    Queries       `key:"pages"    doc:"page query: which pages"                      jsonschema:"required"`
	Metadata MetadataNames `key:"metadata" doc:"metadata keys that each must have in the end" jsonschema:"required"`
}

// BudgetShape is one entry under budgets.
type BudgetShape struct {
	Pages        Queries  `key:"pages"         doc:"page query: which pages"                                            jsonschema:"required"`
	Scripts      Size     `key:"scripts"       doc:"bytes of scripts, such as 50 kB"`
	Styles       Size     `key:"styles"        doc:"bytes of stylesheets and styles"`
	Total        Size     `key:"total"         doc:"bytes of the page and of what it loads"`
	Blocking     Count    `key:"blocking"      doc:"how many resources may block"`
	Requests     Count    `key:"requests"      doc:"how many requests the page may make"`
	ThirdParties Count    `key:"third-parties" doc:"from how many hosts of others it may load"`
	Wire         Size     `key:"wire"          doc:"bytes that may come over the wire, in a browser, such as 300 kB"`
	RequestsMade Count    `key:"requests-made" doc:"how many requests a browser may make"`
	Paint        Span     `key:"paint"         doc:"until when the largest part is painted, in a browser, such as 2.5s"`
	Shift        Fraction `key:"shift"         doc:"how much the layout may shift, in a browser, such as 0.1"`
	BlockingTime Span     `key:"blocking-time" doc:"how long scripts may block, in a browser, such as 200ms"`
}

// AcceptShape is one entry under accept.
type AcceptShape struct {
	Check CheckName `key:"check" doc:"name of the check"          jsonschema:"required"`
	Pages Queries   `key:"pages" doc:"page query: on which pages" jsonschema:"required"`
	Item  Name      `key:"item"  doc:"only findings of this item"`
	About Line      `key:"about" doc:"only findings about this: a file, an address, a title, as JSON and CSV have it"`
	Note  Words     `key:"note"  doc:"why; required"              jsonschema:"required"`
}

// MatcherShape is a matcher that is not a selector.
type MatcherShape struct {
	URL  Line `key:"url"  doc:"glob for the URL that an element loads"`
	Text Line `key:"text" doc:"regular expression (RE2) for inline scripts and styles"`

	Rendered bool `key:"rendered" doc:"true: scripts bring it, so that only a browser has it"`
}

// AtShape is a place at a selector.
type AtShape struct {
	Before    Line `key:"before"     doc:"selector: before the element"`
	After     Line `key:"after"      doc:"selector: after it"`
	FirstIn   Line `key:"first-in"   doc:"selector: the first thing in it"`
	LastIn    Line `key:"last-in"    doc:"selector: the last thing in it"`
	InsteadOf Line `key:"instead-of" doc:"selector: in its stead"`
}

// PartPlaces is a place for each part key.
type PartPlaces struct {
	Script     OnePlace `key:"script"`
	ScriptText OnePlace `key:"script-text" doc:"also of script-file"`
	Stylesheet OnePlace `key:"stylesheet"`
	StyleText  OnePlace `key:"style-text"  doc:"also of style-file"`
	Code       OnePlace `key:"code"        doc:"also of code-file"`
	Popup      OnePlace `key:"popup"       doc:"also of popup-file"`
	Structured OnePlace `key:"structured"`
	Questions  OnePlace `key:"questions"`
	Found      OnePlace `key:"found"`
}

// VariantShape is a metadata value with what tells its element from others of
// its name.
type VariantShape struct {
	Content  Line `key:"content"  doc:"content of a meta element"`
	Href     Line `key:"href"     doc:"address of a link or icon"`
	Media    Line `key:"media"`
	Sizes    Line `key:"sizes"`
	Hreflang Line `key:"hreflang"`
	Type     Line `key:"type"`
	Title    Line `key:"title"`
}

// The forms that values take.
type (
	Line             string               // a text, a number or a truth value
	Version          int                  // 1
	Texts            []Line               // one text or a list
	Parts            []OnlyShape          // one text or a list; each may be an OnlyShape
	Queries          []NotedQuery         // one page query or a list; a bare one is a text
	Matchers         []MatcherShape       // one matcher or a list; a selector is a text
	MetaValues       []VariantShape       // one value, text or mapping, or a list
	OnePlace         string               // a standard place, or at a selector
	PlaceShape       struct{ PartPlaces } // one place, or one for each part key
	Loading          string               // defer, async, module, now
	SeverityWord     string               // error, warning, note, none
	OneOrMore[T any] []T                  // one or a list

	Name          string // of an item, as NameForm has it
	Names         []Name // one or a list
	Words         string // a text that is not empty
	Selector      string // of CSS
	SetOf         string // a page query or a list of them, or a SetShape
	CheckName     string // of a check
	MetadataNames []Line // keys of metadata: one or a list
	Path          string // of a page, such as /visit/
	SiteURL       string // absolute, without a query
	Origin        string // scheme, host and port
	Day           string // such as 2027-06-01
	Span          string // a time, such as 250ms, 8s or 7d
	Size          string // bytes, such as 50 kB
	Count         string // a whole number
	Fraction      string // a number from 0
	Share         string // such as 60%
	Fragment      string // of an address
	Digest        string // auto, or a digest such as sha384-…
	Again         string // visit, always, once, or a span
)

// Forms are regular expressions (ECMA 262) for the texts that some values are.
var Forms = map[reflect.Type]string{
	reflect.TypeFor[Name]():     NameForm,
	reflect.TypeFor[Words]():    `\S`,
	reflect.TypeFor[Selector](): `\S`,
	reflect.TypeFor[Path]():     `^/[^*?#]*$`,
	reflect.TypeFor[SiteURL]():  `^(https?://[^/?#\s]+[^?#]*)?$`,
	reflect.TypeFor[Origin]():   `^(https?://[^/?#\s]+/?)?$`,
	reflect.TypeFor[Day]():      dayForm.String(),
	reflect.TypeFor[Span]():     spanForm,
	reflect.TypeFor[Size]():     `^\s*[0-9]*\.?[0-9]+\s*([kKmMgG][iI]?)?([bB]|[bB][yY][tT][eE][sS])?\s*$`,
	reflect.TypeFor[Count]():    `^\s*[0-9]+\s*$`,
	reflect.TypeFor[Fraction](): `^[0-9]*\.?[0-9]+$`,
	reflect.TypeFor[Share]():    `^(100(\.0*)?|[0-9]{1,2}(\.[0-9]*)?)%$`,
	reflect.TypeFor[Fragment](): `^#?[A-Za-z0-9._~-]+$`,
	reflect.TypeFor[Digest]():   `^auto$|` + integrityForm.String(),
	reflect.TypeFor[Again]():    `^(visit|always|once)$|` + spanForm,
}

const spanForm = `^\s*([0-9]+\.?[0-9]*|\.[0-9]+)\s?(ms|s|min|h|d|w)\s*$`

// PlaceNames are the places that have a name.
func PlaceNames() []string { return placeNames }

// LoadWords are the ways in which a script can load.
func LoadWords() []string { return loads }

// ItemKeys are the keys of an item.
func ItemKeys() []string { return itemKeys }

// KeysOf lists the keys of a shape, in order.
func KeysOf(shape any) []string {
	var keys []string
	t := reflect.TypeOf(shape)
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			keys = append(keys, KeysOf(reflect.Zero(f.Type).Interface())...)
			continue
		}
		keys = append(keys, f.Tag.Get("key"))
	}
	return keys
}

// DocOf is what a key of a shape is for.
func DocOf(shape any, key string) string {
	t := reflect.TypeOf(shape)
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			if doc := DocOf(reflect.Zero(f.Type).Interface(), key); doc != "" {
				return doc
			}
		} else if f.Tag.Get("key") == key {
			return f.Tag.Get("doc")
		}
	}
	return ""
}

// The keys of each mapping.
var (
	topKeys     = KeysOf(Shape{})
	siteKeys    = KeysOf(SiteShape{})
	metaKeys    = KeysOf(MetadataShape{})
	ruleKeys    = KeysOf(RuleShape{})
	perPageKeys = KeysOf(PerPageShape{})
	itemKeys    = KeysOf(ItemShape{})
	notedKeys   = KeysOf(NotedQuery{})
	placeAt     = KeysOf(AtShape{})
	partPlaces  = KeysOf(PartPlaces{})

	placeNames = []string{HeadStart, HeadEnd, BodyStart, BodyEnd, AtSpot}
	loads      = []string{"defer", "async", "module", "now"}
)
