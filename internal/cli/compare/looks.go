package compare

import (
	"bytes"
	"cmp"
	"context"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strings"

	"yellowgate/internal/cli/app"
	"yellowgate/internal/cli/options"
	"yellowgate/internal/core/visualdiff"
	"yellowgate/internal/failure"
	"yellowgate/internal/report"
	"yellowgate/internal/result"
	"yellowgate/internal/visualcompare"
)

// compareLooks compares two sides as visitors see them.
func (a command) compareLooks(ctx context.Context, args []string, w *options.Site, o visualcompare.Options,
	pictures string) error {
	p, err := a.OpenIfAny(false)
	if err != nil && a.Gate != "" {
		return err
	}
	if err != nil {
		p = nil
	}
	if o.Runs < 2 || o.Runs > 50 {
		return &failure.Usage{Message: "--runs is from 2 to 50: a second visit shows what moves by itself"}
	}
	o.Before, o.After, o.Project, o.Progress = args[0], args[1], p, a.Progress("looking")
	if len(args) == 3 {
		o.Page = args[2]
	} else if app.IsAddress(args[0]) && app.IsAddress(args[1]) { // their links say which pages they have
		for i := range o.Listed {
			if o.Listed[i], err = w.FolderOf(ctx, a.App, args[i]); err != nil {
				return err
			}
		}
	}
	if pictures != "" {
		if err := os.MkdirAll(pictures, 0o755); err != nil {
			return &failure.Path{Path: pictures, Err: err}
		}
	}
	o.Picture = a.pictureWriter(pictures)
	a.Tidies()
	l, err := visualcompare.Compare(ctx, o)
	if err = options.Looked(ctx, err); err != nil {
		return err
	}
	if len(l.Another()) > 0 {
		a.Status = app.Found
	}
	return a.Write(func(w io.Writer, pr *report.Printer) error {
		if a.Format == "json" {
			return report.JSON(w, struct {
				Format string `json:"format"`
				*result.Looks
			}{"yellowgate.looks/1", l})
		}
		if a.Format == "html" {
			return report.LooksHTML(w, args[0], args[1], l)
		}
		pr.Looks(args[0], args[1], l, a.Verbose)
		return nil
	})
}

// pictureWriter writes and keeps the pictures of a page that looks different, where somebody wants them.
func (a command) pictureWriter(folder string) func(l *result.PageLook, before, after *visualdiff.Picture) error {
	return func(l *result.PageLook, before, after *visualdiff.Picture) error {
		if folder == "" && a.Format != "html" {
			return nil
		}
		drawn := visualcompare.Draw(l, before, after)
		if folder != "" {
			name := cmp.Or(strings.Trim(strings.ReplaceAll(l.Path, "/", "_"), "_"), "home")
			err := a.WriteFile(filepath.Join(folder, name+"-"+l.Screen+".png"), isPNG,
				func(to io.Writer) error { return png.Encode(to, drawn) })
			if err != nil || a.Format != "html" {
				return err
			}
		}
		return visualcompare.Keep(l, drawn)
	}
}

func isPNG(head []byte) bool { return bytes.HasPrefix(head, []byte("\x89PNG\r\n")) }
