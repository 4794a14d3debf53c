//go:build !linux && !darwin

package disk

import "io/fs"

func fill(*Stamp, fs.FileInfo) {}

// Keeps is the device of a folder whose file system can be relied on to change a
// file's stamp with its bytes; here that is not known, and all bytes are read.
func Keeps(string) (device uint64, ok bool) { return 0, false }

// FolderID tells a folder from one that was made in its place later; here it cannot.
func FolderID(string) string { return "" }
