package siteaudit

import (
	"bytes"
	"path/filepath"
	"strconv"
	"strings"

	"yellowgate/internal/auditcache"
	"yellowgate/internal/version"
)

// answers says what holds of the site's files now.
func (s *auditing) answers(kind auditcache.QuestionKind, path string) (a auditcache.Answer) {
	switch kind {
	case auditcache.HasFile:
		a.Is = s.known.HasFile(path)
	case auditcache.HasPage:
		a.Is = s.known.HasPage(path)
	case auditcache.Size:
		var n int
		n, _, a.Is = s.weights.File(path)
		a.Number = int64(n)
	case auditcache.Bytes:
		b, ok := s.read(path)
		if a.Is = ok; ok {
			a.Number, a.Sum = int64(len(b)), s.store.Digest(b)
		}
	}
	return a
}

// remember opens what the last audit found.
func (s *auditing) remember() {
	if s.NoCache || s.Browser != nil || len(s.Saved) > 0 || s.Project == nil || s.Records || s.Each != nil ||
		s.Names != nil {
		return
	}
	folder, err := filepath.Abs(s.Dir)
	if err != nil {
		return
	}
	files := make([]string, len(s.pages))
	for i := range s.pages {
		files[i] = s.pages[i].File
	}
	s.store = auditcache.Open(s.Project.Dir, folder, files, s.context(), s.answers)
}

// context is what every page depends on: the gate with its facts and the tool, the site's
// stylesheets, with which all pages are compared, and the names of its scripts.
func (s *auditing) context() []byte {
	var of bytes.Buffer
	add := func(words ...string) {
		for _, w := range words {
			of.WriteString(w)
			of.WriteByte(0)
		}
	}
	add(version.Number, version.Build(), s.result.Gate, s.Address, s.known.Addresses.Told(), s.result.Below,
		strconv.FormatBool(s.known.Nowhere))
	if s.auditor.OfOutput() {
		add("output")
	}
	for _, file := range s.known.Code {
		add(file)
		if strings.HasSuffix(file, ".css") {
			if b, ok := s.read(file); ok {
				of.Write(b)
				of.WriteByte(0)
			}
		}
	}
	return of.Bytes()
}
