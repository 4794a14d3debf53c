// Package result is what the commands come to, as plain values: the packages that do the work fill them,
// and reports show them. Members with JSON names are formats that docs/formats.md describes.
package result
