package browser

import (
	_ "embed"
	"encoding/json"
)

// The scripts that run in pages: each says at its top what it does.
var (
	//go:embed inpage/observe.js
	observing string
	//go:embed inpage/trace.js
	tracing string
	//go:embed inpage/guard.js
	guarding string
	//go:embed inpage/resting.js
	resting string
	//go:embed inpage/scroll.js
	scrolling string
	//go:embed inpage/unfold.js
	unfolding string
	//go:embed inpage/standing.js
	standing string
	//go:embed inpage/place.js
	placeOf string
	//go:embed inpage/still.js
	still string
	//go:embed inpage/scrollers.js
	scrollers string
	//go:embed inpage/scrolled.js
	scrolled string
	//go:embed inpage/covering.js
	covering string
	//go:embed inpage/removed.js
	removed string
	//go:embed inpage/stored.js
	stored string
	//go:embed inpage/read.js
	reading string
)

// readDocument asks the page's document, readStored any document.
var (
	readDocument = "(() => {" + covering + removed + reading + "return read(); })()"
	readStored   = "(() => {" + stored + "return stored(); })()"
)

// called is the expression that calls a script that is a function, with a value.
func called(script string, with ...any) string {
	list, err := json.Marshal(with)
	if err != nil {
		panic(err) // of texts, numbers and lists alone
	}
	return script + "(..." + string(list) + ")"
}
