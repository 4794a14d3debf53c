package fsys

import (
	"crypto/rand"
	"encoding/binary"
	"encoding/hex"
	"strings"
)

// randomLen is how many characters Random adds.
const randomLen = 20

// Random is a name that nothing has yet: the prefix and 80 random bits.
func Random(prefix string) string {
	var b [randomLen / 2]byte
	rand.Read(b[:]) // never fails
	return prefix + hex.EncodeToString(b[:])
}

// IsRandom reports whether a name can be one of Random.
func IsRandom(name, prefix string) bool {
	rest, ok := strings.CutPrefix(name, prefix)
	return ok && len(rest) == randomLen && strings.Trim(rest, "0123456789abcdef") == ""
}

// RandomNumber is a number of 64 random bits.
func RandomNumber() uint64 {
	var b [8]byte
	rand.Read(b[:]) // never fails
	return binary.LittleEndian.Uint64(b[:])
}
