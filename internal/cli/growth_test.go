package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
)

// Pages that repeat one thing, whatever it is: twice as much of it may cost twice as much work,
// and hardly more. Work is counted, not timed: the program is built with counters on all its
// statements, those of the parsers among them.

// grown are the pages, by what they repeat. %d is the number of the repetition.
var grown = map[string]string{
	"dialogs":            `<dialog id=a%d aria-label=x>x</dialog>`,
	"dialogs unclosed":   `<dialog>`,
	"marks unclosed":     `<!--yg:a%d-->`,
	"marks":              `<!--yg:a%d--><b>x</b><!--/yg:a%[1]d-->`,
	"svg closed by b":    `<svg><g><b>`,
	"svg nested":         `<svg><foreignObject>`,
	"math":               `<math><mi><p></math>`,
	"templates nested":   `<template>`,
	"templates":          `<template><img src=a%d.png></template>`,
	"noscripts":          `<noscript><img src=a%d.png></noscript>`,
	"titles":             `<title>x%d</title>`,
	"metas":              `<meta name=a%d content=b>`,
	"descriptions":       `<meta name=description content=b%d>`,
	"canonicals":         `<link rel=canonical href=/a%d/>`,
	"bases":              `<base href=/a%d/>`,
	"scripts":            `<script src=/a%d.js></script>`,
	"foreign scripts":    `<script src=https://a%d.example/a.js></script>`,
	"inline scripts":     `<script>var a%d = document.querySelector(".b%[1]d"); a%[1]d.focus()</script>`,
	"loaders":            `<script>var s%d = document.createElement("script"); s%[1]d.src = "/x%[1]d.js"</script>`,
	"stylesheets":        `<link rel=stylesheet href=/a%d.css>`,
	"inline styles":      `<style>.a%d { background: url(a%[1]d.png) }</style>`,
	"pictures":           `<img src=a%d.png srcset="b%[1]d.png 2x" alt=x>`,
	"pixels":             `<img src=a%d.png width=1 height=1>`,
	"style attributes":   `<p style="background: url(a%d.png)">x</p>`,
	"handlers":           `<p onclick="a%d()">x</p>`,
	"classes":            `<p class="a%d b%[1]d c">x</p>`,
	"ids":                `<p id=a%d>x</p>`,
	"one id":             `<p id=a>x</p>`,
	"nested":             `<div><p class=a%d>`,
	"closed by others":   `<b><i></b></i>`,
	"tables":             `<table><tr><td>`,
	"comments":           `<!-- %d -->`,
	"comments unclosed":  `<!--<`,
	"words":              `word%d `,
	"attributes":         `<p a%d=b c%[1]d='d' e>x</p>`,
	"links to fragments": `<a href=#a%d>x</a>`,
	"structured data":    `<script type=application/ld+json>{"@type": "Event", "name": "x%d"}</script>`,
	"policies":           `<meta http-equiv=content-security-policy content="script-src a%d.example">`,
	"iframes":            `<iframe src=/a%d/></iframe>`,
	"spots":              `<!-- yg-spot a%d -->`,
	"placeholders":       `@{page.a%d} `,
	"raw text":           `<textarea><`,
}

// grownCode repeats one thing within one script or style.
var grownCode = map[string][3]string{
	"calls of one name":      {"<script>function f(u) { var s = document.createElement('script'); s.src = u }", "f('/a%d.js');", "</script>"},
	"functions of one name":  {"<script>", "a%d = { get: function () { return b.get(c.get(d)) } };", "</script>"},
	"names for names":        {"<script>var a = 0, b = 0;", "a = b + a; b = a + b;", "new Image().src = a + b</script>"},
	"selectors looked for":   {"<script>", "document.querySelector('.a%d .b');", "</script>"},
	"globals":                {"<script>", "window.a%d = b%[1]d;", "</script>"},
	"written markup":         {"<script>document.write('", "<img src=/a%d.png>", "')</script>"},
	"rules":                  {"<style>", ".a%d .b, p > .c%[1]d { d: e }", "</style>"},
	"lost rules":             {"<style>", ".a%d, { b: c }", "</style>"},
	"fonts":                  {"<style>@font-face { src: local(x)", ", url(a%d.woff)", " }</style>"},
	"candidates":             {"<img srcset=\"", "a%d.png %[1]dw, ", "\">"},
	"classes of one element": {"<p class=\"", "a%d ", "\">x</p><style>.a1.a2.a3 { b: c }</style>"},
	"attributes of one tag":  {"<p ", "a%d=b ", ">x</p>"},
	"script with comments":   {"<script>var a = '", "<!--<", "'</script>"},
	"policy sources":         {"<meta http-equiv=content-security-policy content=\"script-src ", "a%d.example ", "\"><script src=/a.js></script>"},
	"custom properties":      {"<style>:root { ", "--a%d: var(--b%[1]d); ", "} p { margin: var(--a1) }</style>"},
}

// counted builds the program with counters, once.
var counted = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "yellowgate-counted")
	if err != nil {
		return "", err
	}
	name := filepath.Join(dir, "yellowgate")
	packages := "yellowgate/...,github.com/tdewolff/parse/v2/...,github.com/andybalholm/cascadia,golang.org/x/net/html,github.com/nlnwa/whatwg-url/url"
	out, err := exec.Command("go", "build", "-cover", "-covermode=count", "-coverpkg="+packages, "-o", name, "yellowgate/cmd/yellowgate").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%v: %s", err, out)
	}
	return name, nil
})

// work is how many statements a command runs.
func work(t *testing.T, counter, dir string, args ...string) (steps float64) {
	t.Helper()
	counts := t.TempDir()
	cmd := exec.Command(counter, args...)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "GOCOVERDIR="+counts)
	if out, err := cmd.CombinedOutput(); err != nil && cmd.ProcessState.ExitCode() > 1 {
		t.Fatalf("%v: %v\n%s", args, err, out)
	}
	profile := filepath.Join(counts, "profile.txt")
	if out, err := exec.Command("go", "tool", "covdata", "textfmt", "-i="+counts, "-o="+profile).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(profile)
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(text)) { // file:from,to statements count
		f := strings.Fields(line)
		if len(f) != 3 {
			continue
		}
		statements, _ := strconv.ParseFloat(f[1], 64)
		times, _ := strconv.ParseFloat(f[2], 64)
		steps += statements * times
	}
	return steps
}

// TestGrowth: a page that is twice as long is at most a little more than twice the work, of
// which what the empty page costs is taken off.
func TestGrowth(t *testing.T) {
	if testing.Short() {
		t.Skip("it builds the program a second time")
	}
	counter, err := counted()
	if err != nil {
		t.Skipf("the program cannot be built with counters: %v", err)
	}
	t.Cleanup(func() { os.RemoveAll(filepath.Dir(counter)) })
	const n = 1500
	page := func(before, one, after string, times int) string {
		var b strings.Builder
		b.WriteString("<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<meta name=description content=x>\n<title>x</title>\n" + before)
		for i := range times {
			if strings.Contains(one, "%") {
				fmt.Fprintf(&b, one, i)
			} else {
				b.WriteString(one)
			}
		}
		return b.String() + after
	}
	dir := t.TempDir()
	measure := func(text string) float64 {
		sub, err := os.MkdirTemp(dir, "page")
		if err != nil {
			t.Fatal(err)
		}
		b := &bench{t, sub}
		b.write("site/index.html", text)
		return work(t, counter, sub, "audit", "site", "--fail-on", "never")
	}
	empty := measure(page("", "", "", 0))
	type kind struct{ name, before, one, after string }
	var kinds []kind
	for name, one := range grown {
		kinds = append(kinds, kind{name, "", one, ""})
	}
	for name, c := range grownCode {
		kinds = append(kinds, kind{name, c[0], c[1], c[2]})
	}
	limit := make(chan bool, runtime.NumCPU())
	var wait sync.WaitGroup
	for _, k := range kinds {
		wait.Go(func() {
			limit <- true
			defer func() { <-limit }()
			once, twice := measure(page(k.before, k.one, k.after, n))-empty, measure(page(k.before, k.one, k.after, 2*n))-empty
			if ratio := twice / once; ratio > 2.3 {
				t.Errorf("%s: %.1f million steps for %d, %.1f times as many for twice that", k.name, once/1e6, n, ratio)
			} else if testing.Verbose() {
				t.Logf("%-24s %8.2f million steps, ×%.2f", k.name, once/1e6, ratio)
			}
		})
	}
	wait.Wait()
}
