package capture

import (
	"regexp"
	"strings"
	"unicode"

	"yellowgate/internal/project"
)

// Names that mean something else on some systems than they say.

// devices are names that Windows keeps for itself, whatever ending they have.
var devices = regexp.MustCompile(`(?i)^(con|prn|aux|nul|conin\$|conout\$|com[0-9¹²³]|lpt[0-9¹²³])[ .]*(\.|:|$)`)

// unfit says why a file cannot have a name on a system, "" where it can. That of the gate file, in any
// form in which some system takes it for that, it cannot have on any.
func unfit(file, system string) string {
	for segment := range strings.SplitSeq(file, "/") {
		bare := strings.Map(func(r rune) rune {
			if unicode.In(r, unicode.Cf) || r >= 0xFE00 && r <= 0xFE0F { // HFS+ leaves them out of names
				return -1
			}
			return r
		}, segment)
		bare, _, _ = strings.Cut(bare, ":") // a stream of NTFS
		if strings.EqualFold(strings.TrimRight(bare, ". "), project.GateFileName) {
			return "a file of that name decides: a site does not bring its own"
		}
		if system != "windows" {
			continue
		}
		switch {
		case devices.MatchString(segment):
			return "a part of its path is the name of a device on this system"
		case strings.HasSuffix(segment, ".") || strings.HasSuffix(segment, " "):
			return "a part of its path ends with a dot or a space, which this system drops"
		case strings.ContainsAny(segment, `<>:"|?*`):
			return "a part of its path has a character that no file name has on this system"
		}
	}
	return ""
}

// folded is a name as a file system without upper and lower case has it.
func folded(file string) string { return strings.ToLower(strings.ToUpper(file)) }
