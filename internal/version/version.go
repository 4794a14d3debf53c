// Package version is which yellowgate this is.
package version

import (
	"runtime/debug"
	"strings"
)

// Number is the tool's version. It is part of the gate's digest: another
// version may write other pages.
const Number = "0.1.0"

// Build tells this build of the tool from others of the same version, as far as the build knows.
func Build() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	out := info.GoVersion
	for _, s := range info.Settings {
		if strings.HasPrefix(s.Key, "vcs.") {
			out += " " + s.Value
		}
	}
	return out
}
