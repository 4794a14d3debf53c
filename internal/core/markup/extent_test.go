package markup

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestExtent: the element begins at "[", its content is between "{" and "}", it
// ends at "]".
func TestExtent(t *testing.T) {
	for _, marked := range []string{
		"<body>[<div>{<p>a</p>}</div>]<p>",
		"[<p>{one}]<p>two",
		"<ul>[<li>{a <b>b</b>}]<li>c</ul>",
		"<ul>[<li>{a}]</ul>x",
		"<ul><li>a[<li>{b<ul><li>c</ul>}]</ul>",
		"[<br>{}]x",
		"[<script>{'</div>'}</script>]",
		"[<textarea>{<b>}</textarea>]",
		"<table><tr>[<td>{a}]<td>b</table>",
		"[<table>{<tr><td>a}</table>]",
		"[<div>{<script>'</div>'</script><!-- </div> --><br></br>}</div>]",
		"[<DIV>{<div>x</div>}</DIV >]",
		"[<svg>{<path/><g><title>a</title></g>}</svg>]",
		"<svg>[<g>{<path/>}</g>]</svg>",
		"[<form>{<p>one<p>two}</form>]",
		"[<p>{to the end of the file}]",
		"[<dl>{<dt>a<dd>b<dt>c}</dl>]",
		"[<select>{<option>a<option>b}</select>]",
	} {
		at := map[byte]int{}
		var clean strings.Builder
		for i := 0; i < len(marked); i++ {
			if c := marked[i]; strings.IndexByte("[]{}", c) >= 0 {
				at[c] = clean.Len()
			} else {
				clean.WriteByte(c)
			}
		}
		p := Scan([]byte(clean.String()), nil)
		content, end, err := p.Extent(at['['])
		if err != nil || content.Start != at['{'] || content.End != at['}'] || end != at[']'] {
			t.Errorf("%s: content %v, end %d, %v", marked, content, end, err)
		}
	}
}

func TestExtentUnclear(t *testing.T) {
	for _, src := range []string{"<b><i>x</b></i>", "<div><span></div>", "<div>never closed",
		"<template><div></template>", "<script>never closed", "<div><svg></div>"} {
		if _, _, err := Scan([]byte(src), nil).Extent(0); err == nil {
			t.Errorf("%s: no error", src)
		}
	}
}

// TestLineOf: the element between brackets goes, and with it what stands between
// the bars.
func TestLineOf(t *testing.T) {
	for _, marked := range []string{
		"a|\n  [<b>]|\nc", "a [<b>]\nc", "a\n[<b>] c", "a|\r\n\t[<b>]  |\r\nc", "[<b>]\nc", "a|\n[<b>]|",
	} {
		marked = strings.ReplaceAll(marked, "|[", "[")
		clean := strings.NewReplacer("|", "", "[", "", "]", "").Replace(marked)
		start := strings.Index(strings.ReplaceAll(marked, "|", ""), "[")
		want := strings.NewReplacer("[", "", "]", "").Replace(marked)
		span := Scan([]byte(clean), nil).LineOf(Span{start, start + 3})
		got := "<b>"
		if parts := strings.Split(want, "|"); len(parts) == 3 {
			got = parts[1]
		}
		if clean[span.Start:span.End] != got {
			t.Errorf("%q: %q goes, want %q", marked, clean[span.Start:span.End], got)
		}
	}
}

func TestPlacesInOddHeads(t *testing.T) {
	for _, marked := range []string{
		"<head>|<title>t</title></head>",
		"<head><title>t</title><meta charset=utf-8>|</head>",
		"<head><base href=/>|<link></head>",
		"<head><meta http-equiv=Content-Security-Policy content=x>|</head><body><meta charset=utf-8>",
		"|<title>t</title>",
		"<!doctype html><html lang=en><!-- c -->|<p>x",
	} {
		clean := strings.Replace(marked, "|", "", 1)
		if got, want := Scan([]byte(clean), nil).HeadStartSpot().Offset, strings.Index(marked, "|"); got != want {
			t.Errorf("%s: head-start is at %d, want %d", clean, got, want)
		}
	}
}

func TestEditsThatMeet(t *testing.T) {
	src := Read([]byte("0123456789"))
	if _, _, err := src.Apply([]Edit{{2, 5, "x"}, {4, 6, "y"}}); err == nil {
		t.Error("edits that overlap were applied")
	}
	if _, _, err := src.Apply([]Edit{{8, 12, ""}}); err == nil {
		t.Error("an edit outside the page was applied")
	}
	out, inverse, err := src.Apply([]Edit{{5, 5, "c"}, {2, 5, ""}, {5, 7, "d"}, {2, 2, "a"}, {2, 2, "b"}})
	if err != nil || string(out) != "01abcd789" || string(Undo(out, inverse)) != "0123456789" {
		t.Errorf("%s, back %s, %v", out, Undo(out, inverse), err)
	}
}

func TestFit(t *testing.T) {
	const code = "<p title=é>é</p>\n<script>'é😀'</script><style>p::after{content:'é'}</style><!-- é -->"
	want := "<p title=&#xE9;>&#xE9;</p>\r\n<script>'\\u00E9\\uD83D\\uDE00'</script><style>p::after{content:'\\0000E9'}</style><!-- ? -->"
	if got := Fit(code, "\r\n", true); got != want {
		t.Errorf("%s\nwant %s", got, want)
	}
	if got := Fit("a\r\nb\rc\n", "\n", false); got != "a\nb\nc\n" {
		t.Errorf("line ends: %q", got)
	}
}

// TestFrames: a page of frames has its frames, and nothing else, for selectors.
func TestFrames(t *testing.T) {
	const page = "<!doctype html><title>x</title><frameset cols=1,2><frame src=a><p class=no><FRAME src=b><noframes><p></noframes></frameset>"
	for selector, want := range map[string]int{"frame": 2, "frameset": 1, "frame[src=b]": 1, "noframes": 1, "p": 0,
		"title": 1} {
		s, err := ParseSelector(selector)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := Matches([]byte(page), s); len(got) != want || err != nil {
			t.Errorf("%s matches %d, want %d (%v)", selector, len(got), want, err)
		}
	}
}

// TestSpotParams: a spot sets values, in a comment and in an element.
func TestSpotParams(t *testing.T) {
	const text = `<!doctype html><title>x</title><body><!-- yg-spot tour colour="deep &amp; red" n=2 alone --><!-- yg-spot --><!-- yg-spots x --><i data-yg-spot=map data-zoom=3></i>`
	src := ReadAs([]byte(text), "")
	var got []string
	for _, s := range SpotsOf(src, Scan(src.Text, nil)) {
		got = append(got, fmt.Sprint(s.Name, " ", s.Params))
	}
	if want := []string{"tour [{colour deep & red} {n 2} {alone }]", "map [{zoom 3}]"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}
