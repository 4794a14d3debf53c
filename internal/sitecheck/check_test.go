package sitecheck_test

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"yellowgate/internal/project"
	"yellowgate/internal/sitecheck"
)

// TestProblems: what check says of a gate file whose lines choose nothing or name what is not there, each
// once.
func TestProblems(t *testing.T) {
	for _, c := range []struct {
		name, gate string
		want       []string
	}{
		{"all is well", "items: {a: {code: <p>x</p>, pages: /visit/}}", nil},
		{"an empty set is told of, and not its item",
			"sets: {full: /visit/, empty: /none/}\nitems: {a: {code: <p>x</p>, pages: empty}, b: {code: <i>x</i>, pages: full}}",
			[]string{"the page set \"empty\" chooses no page of the site"}},
		{"an empty set with another query",
			"sets: {full: /visit/, empty: /none/}\nitems: {a: {code: <p>x</p>, pages: [empty, full]}}",
			[]string{"the page set \"empty\" chooses no page of the site"}},
		{"a query that chooses nothing", "items: {a: {code: <p>x</p>, pages: /none/}}",
			[]string{"item \"a\": pages: /none/ chooses no page of the site"}},
		{"wildcards that reach redirects alone", "items: {a: {code: <p>x</p>, pages: /ol*}, b: {code: <p>x</p>, pages: all, except: path ^= /old}, c: {code: <i>x</i>, pages: /old/}}", []string{
			"item \"a\": pages: /ol* chooses no page of the site, for it passes over pages that lead elsewhere at once: their paths alone choose these",
			"item \"b\": except: path ^= /old excludes nothing that pages chooses, for it passes over pages that lead elsewhere at once: their paths alone choose these"}},
		{"what is accepted on redirects alone",
			"accept: [{check: title-missing, pages: /ol*, note: x}, {check: lang-missing, pages: /visit/, note: x}]",
			[]string{
				"accept of title-missing: pages: /ol* chooses no page of the site, for it passes over pages that lead elsewhere at once: their paths alone choose these"}},
		{"a set like another that has no page",
			"sets: {full: /visit/, empty: {pages: /none/, like: full}}\nmetadata: [{pages: full, author: x}]",
			[]string{"the page set \"empty\" chooses no page of the site"}},
		{"parts and parameters on no page",
			"items: {a: {script: {value: /old.js, only: /gone/}, code: '<p>@{n}</p>', params: {n: 1}, params-on: {pages: /none/, n: 2}, pages: /visit/}}",
			[]string{"item \"a\", only of its script: pages: /gone/ chooses no page of the site",
				"item \"a\", params-on: pages: /none/ chooses no page of the site"}},
		{"a file of an item that is missing", "items: {a: {script: /gone.js, pages: /visit/}}",
			[]string{"item \"a\" loads /gone.js, and the site has no such file (on /visit/)"}},
		{"a found element is no file of the item",
			"items: {a: {found: {url: /old.js}, attrs: {defer: true}, place: body-end, pages: /visit/}}", nil},
		{"what code shows is not a file of the item",
			"items: {a: {code: '<p><a href=\"/gone.pdf\">x</a><img src=\"/gone.png\" alt=\"\"></p>', pages: /visit/}}",
			nil},
	} {
		dir := t.TempDir()
		for name, text := range map[string]string{
			"yellowgate.yaml":     "yellowgate: 1\nsite: {source: site, output: public, url: https://ternhill.example}\n" + c.gate + "\n",
			"site/old/index.html": "<!doctype html><meta http-equiv=refresh content='0; url=/visit/'><title>Old</title>",
			"site/index.html":     "<!doctype html><title>Tern Hill</title>", "site/visit/index.html": "<!doctype html><title>Visit</title><script src=\"/old.js\"></script>",
		} {
			full := filepath.Join(dir, filepath.FromSlash(name))
			if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		p, problems, err := project.Open(filepath.Join(dir, "yellowgate.yaml"), project.Options{Day: "2026-11-30"})
		if err == nil {
			err = p.Walk()
		}
		if err != nil {
			t.Fatal(c.name, err)
		}
		r, err := sitecheck.Check(t.Context(), p, problems, nil)
		if err != nil {
			t.Fatal(c.name, err)
		}
		var got []string
		for _, x := range r.Problems {
			got = append(got, x.Message)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}
