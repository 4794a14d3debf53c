package audit

import (
	"io"

	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/recording"
	"yellowgate/internal/siteaudit"
)

// useHAR has an audit hold its pages against a recording.
func (a command) useHAR(o *siteaudit.Options, name string) (err error) {
	address := o.Address
	if o.Project != nil {
		address = o.Project.Gate.File.Site.URL.Value
	}
	if o.Saved, err = recording.Read(name, address); err == nil && !a.Quiet {
		a.Messages().Notice("%s has %s", name, wording.Count(len(o.Saved), "page"))
	}
	return err
}

// writeHAR writes what a browser asked for.
func (a command) writeHAR(name string, records []*pageload.Record) error {
	return a.WriteFile(name, recording.IsOurs, func(w io.Writer) error { return recording.Write(w, records) })
}
