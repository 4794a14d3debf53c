// Package server holds the checks of what a server says of pages and files.
package server

import "yellowgate/internal/core/check"

// Checks lists them, by name.
func Checks() []*check.Check {
	return []*check.Check{
		canonicalRedirects, deadPage, headerDiffers, slowRedirect, uncached, uncompressed,
	}
}
