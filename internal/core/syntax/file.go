package syntax

import (
	"bytes"
	"path"
)

// File parses a script or a stylesheet by the ending of its name, and says in which line it goes wrong; nil
// for what is in order, is empty, or has another ending: nobody knows what a server makes of that.
func File(name string, text []byte) (line int, mistake *Mistake) {
	if len(bytes.TrimSpace(text)) == 0 {
		return 0, nil
	}
	switch path.Ext(name) {
	case ".css":
		mistake = CSS(text)
	case ".js", ".mjs":
		mistake = JavaScript(text)
	}
	if mistake == nil {
		return 0, nil
	}
	return 1 + bytes.Count(text[:min(mistake.Offset, len(text))], []byte("\n")), mistake
}
