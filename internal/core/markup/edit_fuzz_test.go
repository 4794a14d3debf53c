package markup

import (
	"bytes"
	"testing"
)

// FuzzEdit inserts a marked region at each standard place: the inverse gives the
// file back, and so does taking the marked regions out.
func FuzzEdit(f *testing.F) {
	seeds(f)
	f.Add([]byte("\xff\xfe<\x00p\x00>\x00"))
	f.Add([]byte("\xfe\xff\x00<\x00!\x00d\x00o\x00c\x00t\x00y\x00p\x00e\x00>\xd8\x00\x00<\x00p\x00>"))
	f.Fuzz(func(t *testing.T, file []byte) {
		// What a source holds in marks of the tool's own is taken out first.
		if !bytes.Equal(unmarked(file), file) {
			return
		}
		src := Read(file)
		p := Scan(src.Text, nil)
		if len(p.Marks) > 0 {
			return // a mark without its partner may pair with ours
		}
		var edits []Edit
		spots := []Spot{p.HeadStartSpot(), p.HeadEndSpot()}
		if !p.Frameset {
			spots = append(spots, p.BodyStartSpot(), p.BodyEndSpot())
		}
		for i, s := range spots {
			text := "<meta name=probe>"
			if i > 1 {
				text = "<p>probe</p>"
			}
			edits = append(edits, Edit{s.Offset, s.Offset, OpenMark("probe") + s.Before + text + CloseMark("probe")})
		}
		out, inverse, err := src.Apply(edits)
		if err != nil {
			t.Fatalf("%q: %v", file, err)
		}
		if back := Undo(out, inverse); !bytes.Equal(back, file) {
			t.Fatalf("%q: the inverse gives %q", file, back)
		}
		if back := unmarked(out); !bytes.Equal(back, file) {
			t.Fatalf("%q: without its marked regions the output %q is %q", file, out, back)
		}
		after := Scan(Read(out).Text, nil)
		if departs(file) {
			return
		}
		regions := after.Regions()
		if len(regions) != len(spots) {
			t.Fatalf("%q: %d regions in %q, want %d", file, len(regions), out, len(spots))
		}
		for _, e := range after.Elements {
			if e.Tag == TagMeta && e.Start > regions[0].Start && e.Start < regions[1].End && e.Area != Head {
				t.Fatalf("%q: what was put into the head is in the body: %q", file, out)
			}
		}
	})
}

func unmarked(file []byte) []byte {
	src := Read(file)
	return Unmark(src, Scan(src.Text, nil))
}
