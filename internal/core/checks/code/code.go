// Package code holds the checks of scripts and markup that a browser cannot read as they were meant.
package code

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		bareCode, codeBreaksHead, codeSyntax, lostRule, tagsInText, tooEarly, unclosedTag,
	}
}
