package result

// WhyFragment tells whether an address with a fragment opens a popup.
type WhyFragment struct {
	Page     string           `json:"page"`
	Fragment string           `json:"fragment"`
	Opens    string           `json:"opens"`   // the item whose popup opens, or ""
	Because  string           `json:"because"` // in words
	Items    []FragmentOpener `json:"items"`   // those whose popup the fragment opens somewhere
}

// A FragmentOpener is an item whose popup a fragment opens on some pages.
type FragmentOpener struct {
	Item    string `json:"item"`
	Verdict string `json:"verdict"`
	Because string `json:"because"`
	Here    bool   `json:"here"` // the fragment opens it on this page
	Rule    Rule   `json:"rule"`
}

// A Step is one line of the decision table as it applied to an item on a page.
type Step struct {
	Condition string `json:"condition"`
	Holds     bool   `json:"holds"`
	Detail    string `json:"detail"`
	Rule      Rule   `json:"rule"`
}

// WhyItem explains one verdict.
type WhyItem struct {
	Gated
	Because string   `json:"because"` // in words
	Steps   []Step   `json:"steps"`   // up to the line that decided
	Change  []string `json:"change"`  // what would change it
	Note    string   `json:"note"`
	Parts   []string `json:"parts"` // what the item carries, and where it goes
	// Params are the values of its parameters on the page.
	Params []WhyParam `json:"params,omitempty"`
	// Waits says what the head of the page waits for behind the gateway; "" for nothing, and for a site that is a folder.
	Waits string `json:"waits,omitempty"`
}

// A WhyValue is one value that a metadata key could have on a page.
type WhyValue struct {
	From   string `json:"from"` // per-page, metadata, the page's source, defaults
	Value  string `json:"value"`
	Rule   Rule   `json:"rule"`
	Query  string `json:"query,omitempty"` // of the rule, that chooses the page
	Note   string `json:"note,omitempty"`  // of the rule
	Wins   bool   `json:"wins"`
	Remark string `json:"remark"`
}

// WhyKey explains one metadata key on a page.
type WhyKey struct {
	Page   string     `json:"page"`
	Key    string     `json:"key"`
	Values []WhyValue `json:"values"` // strongest first
	Result string     `json:"result"` // what the page has in the end
	Waits  string     `json:"waits,omitempty"`
}

// WhyPage explains all of a page.
type WhyPage struct {
	Page     string        `json:"page"`
	File     string        `json:"file"`
	Title    string        `json:"title"`
	Metadata []WhyMetadata `json:"metadata"`
	Elements []WhyElement  `json:"elements"` // of the page after the gate, from top to bottom
	Taken    []WhyElement  `json:"taken"`    // of the source, that the page has no longer
	In       []WhyVerdict  `json:"in"`       // items that are on the page
	Out      []WhyVerdict  `json:"out"`      // items that are not
	Waits    string        `json:"waits,omitempty"`
}

// WhyMetadata says where the value of a key comes from.
type WhyMetadata struct {
	Key   string `json:"key"`
	Value string `json:"value"` // "" for one that is taken out
	From  string `json:"from"`
	Rule  Rule   `json:"rule"`
	Was   string `json:"was,omitempty"` // in the source, where that is another
}

// A WhyElement is an element with what put it there, or took it out.
type WhyElement struct {
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Area    string `json:"area"`
	Tag     string `json:"tag"`
	What    string `json:"what"`
	Item    string `json:"item"` // "" for what the page has by itself
	Because string `json:"because,omitempty"`
	Rule    Rule   `json:"rule"`
}

// A WhyVerdict is an item in or out on the page, with the parameters in force.
type WhyVerdict struct {
	Item    string     `json:"item"`
	Because string     `json:"because"`
	Rule    Rule       `json:"rule"`
	Note    string     `json:"note,omitempty"`
	Params  []WhyParam `json:"params,omitempty"`
}

// A WhyParam is the value of a parameter, and the line that gives it.
type WhyParam struct {
	Name  string `json:"name"`
	Value string `json:"value"`
	Query string `json:"query,omitempty"` // of params-on, that chooses the page
	Rule  Rule   `json:"rule"`
}
