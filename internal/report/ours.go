package report

import "regexp"

// IsOurs reports whether a file that begins with head is a result that this program
// wrote with --out: then it may be written over.
func IsOurs(head []byte) bool { return ours.Match(head) }

var ours = regexp.MustCompile(`^(\s*▐ |✓ |<!doctype html>[^~]*?<meta name="generator" content="Yellow Gate)`)
