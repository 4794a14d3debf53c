package report

import (
	"bytes"
	"regexp"
)

// IsOurs reports whether a file that begins with head is a result that this program
// wrote with --out: then it may be written over.
func IsOurs(head []byte) bool {
	for _, begins := range beginnings {
		if begins.Match(head) {
			return true
		}
	}
	return string(bytes.TrimSpace(head)) == "[]"
}

// beginnings of the results, by format.
var beginnings = []*regexp.Regexp{
	// text, in colour or without
	regexp.MustCompile(`^\n?(\x1b\[[0-9;]*m)*(▐ |✓ |\n  )`),
	// html
	regexp.MustCompile(
		`^<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n<meta name="generator" content="Yellow Gate">`),
	// json and ndjson with their format's name
	regexp.MustCompile(`^\{\s*"format": ?"yellowgate\.`),
	// json of survey, pages, check, diff, why, where, find, explain, apply, schema
	regexp.MustCompile(`^\{\n "dir": ".*",\n "pages": \d+,\n "fragments": `),
	regexp.MustCompile(`^\[\n \{\n  "(path": "/.*",\n  "file|name": ".*",\n  "family)": "`),
	regexp.MustCompile(`^\{\n "pages": (\d+,\n "(items|fragments)": |\[)`),
	regexp.MustCompile(`^\{\n "page": "/.*",\n "item": "`),
	regexp.MustCompile(`^\{\n "item": ".*",\n "note": "`),
	regexp.MustCompile(`^\{\n "(word|selector|set|query)": ".*",\n "dir": "`),
	regexp.MustCompile(`^\{\n "name": ".*",\n "family": "`),
	regexp.MustCompile(`^\{\n "\$schema": "https://json-schema\.org/.*",\n "properties": \{\n  "yellowgate": `),
	// csv
	regexp.MustCompile(`^severity,check,page,file,line,column,item,message,remedy(,about)?\r?\n`),
	regexp.MustCompile("^\uFEFFpath,"),
	// markdown: an audit, and the checks
	regexp.MustCompile("^### Audit of `|^# The checks of the audit\n|^# What loads on .*, and why\n"),
	regexp.MustCompile(`^\{\n "site": ".*",\n "url": "`),
	// junit, sarif
	regexp.MustCompile(`^<\?xml version="1\.0" encoding="UTF-8"\?>\n<testsuites name="yellowgate audit of `),
	regexp.MustCompile(
		`^\{\n "\$schema": "https://json\.schemastore\.org/sarif-2\.1\.0\.json",\n "runs": \[\n  \{\n   "columnKind": "unicodeCodePoints",\n   "originalUriBaseIds": \{\n    "ROOT"`),
}
