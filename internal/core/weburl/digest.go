package weburl

import "strings"

// Digest reports whether a word of a file's name is a digest of the file, as builds write them: eight or more
// characters, hexadecimal with digits and letters, or with digits and letters of both cases.
func Digest(word string) bool {
	const digits, lower, upper = "0123456789", "abcdefghijklmnopqrstuvwxyz", "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
	if len(word) < 8 || strings.Trim(word, digits+lower+upper) != "" ||
		!strings.ContainsAny(word, digits) || !strings.ContainsAny(word, lower+upper) {
		return false
	}
	return strings.Trim(word, digits+"abcdef") == "" ||
		strings.ContainsAny(word, lower) && strings.ContainsAny(word, upper)
}
