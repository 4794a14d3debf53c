package report

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
	"yellowgate/internal/version"
)

// The findings of an audit in the formats that other programs read. What pages
// contain never becomes markup, a control code or a formula in them.

// AuditCSV writes findings as CSV (RFC 4180), one a row, with a header row.
func AuditCSV(w io.Writer, a *result.Audit) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true // RFC 4180, 2
	if err := c.Write(
		[]string{"severity", "check", "page", "file", "line", "column", "item", "message", "remedy",
			"about"}); err != nil {
		return err
	}
	for f := range a.All() {
		if err := c.Write(
			[]string{f.Severity.String(), f.Check, csvCell(f.Page), csvCell(f.File), strconv.Itoa(f.Line),
				strconv.Itoa(f.Column), csvCell(f.Item), csvCell(f.Message), csvCell(f.Remedy),
				csvCell(f.About)}); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// csvCell is a text that a spreadsheet takes for a text: one that could be a formula
// gets an apostrophe in front.
func csvCell(s string) string {
	return result.TableCell(Clean(s))
}

// The parts of a file of JUnit XML that are written.
type (
	junitFailure struct {
		Type    string `xml:"type,attr"`
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
	junitCase struct {
		Name      string        `xml:"name,attr"`
		Classname string        `xml:"classname,attr"`
		File      string        `xml:"file,attr,omitempty"`
		Line      int           `xml:"line,attr,omitempty"`
		Failure   *junitFailure `xml:"failure"`
		Out       string        `xml:"system-out,omitempty"`
	}
	junitSuite struct {
		XMLName  xml.Name    `xml:"testsuite"`
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Errors   int         `xml:"errors,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitSuites struct {
		XMLName  xml.Name `xml:"testsuites"`
		Name     string   `xml:"name,attr"`
		Tests    int      `xml:"tests,attr"`
		Failures int      `xml:"failures,attr"`
		Suites   []junitSuite
	}
)

// JUnit writes an audit as JUnit XML: a test suite for each check, in which every finding
// that fails the audit is a failed test, and any other a passed one that says it under
// system-out; a check without findings is one passed test. fails reports whether findings
// of a severity fail the audit.
func JUnit(w io.Writer, a *result.Audit, fails func(problem.Severity) bool) error {
	by := map[string][]check.Finding{}
	for _, f := range a.Findings {
		by[f.Check] = append(by[f.Check], f)
	}
	all := junitSuites{Name: "yellowgate audit of " + valid(a.Dir)}
	for _, c := range checks.All() {
		s := junitSuite{Name: c.Name}
		for _, f := range by[c.Name] {
			one := junitCase{
				Name:      fmt.Sprintf("%s:%d:%d", valid(f.File), f.Line, f.Column),
				Classname: "yellowgate." + c.Name,
				File:      valid(f.File),
				Line:      f.Line,
			}
			if fails(f.Severity) {
				one.Failure = &junitFailure{f.Severity.String(), valid(f.Message), valid(f.Remedy)}
				s.Failures++
			} else {
				one.Out = fmt.Sprintf("%s: %s\n%s", f.Severity, valid(f.Message), valid(f.Remedy))
			}
			s.Cases = append(s.Cases, one)
		}
		if len(s.Cases) == 0 {
			s.Cases = []junitCase{{Name: c.Title, Classname: "yellowgate." + c.Name}}
		}
		s.Tests = len(s.Cases)
		all.Tests += s.Tests
		all.Failures += s.Failures
		all.Suites = append(all.Suites, s)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", " ")
	if err := e.Encode(all); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// valid is a text without what neither a terminal nor XML should get.
func valid(s string) string { return Clean(s) }

// The parts of a SARIF log that are written (SARIF 2.1.0, section 3).
type (
	sarifText struct {
		Text string `json:"text"`
	}
	sarifHelp struct {
		Text     string `json:"text"`
		Markdown string `json:"markdown"`
	}
	sarifRule struct {
		ID      string            `json:"id"`
		Name    string            `json:"name"`
		Short   sarifText         `json:"shortDescription"`
		Full    sarifText         `json:"fullDescription"`
		Help    sarifHelp         `json:"help"`
		Default map[string]string `json:"defaultConfiguration"`
		Tags    map[string]any    `json:"properties"`
	}
	sarifRegion struct {
		StartLine   int `json:"startLine"`
		StartColumn int `json:"startColumn"`
	}
	sarifFile struct {
		URI    string `json:"uri"`
		BaseID string `json:"uriBaseId"`
	}
	sarifPlace struct {
		File   sarifFile   `json:"artifactLocation"`
		Region sarifRegion `json:"region"`
	}
	sarifLocation struct {
		Physical sarifPlace `json:"physicalLocation"`
	}
	sarifResult struct {
		RuleID    string            `json:"ruleId"`
		RuleIndex int               `json:"ruleIndex"`
		Level     string            `json:"level"`
		Message   sarifText         `json:"message"`
		Locations []sarifLocation   `json:"locations"`
		Tags      map[string]string `json:"properties"`
	}
)

// SARIF writes an audit as SARIF 2.1.0 (OASIS): the checks are its rules, with
// their help; findings are results with file, line and column.
func SARIF(w io.Writer, a *result.Audit) error {
	rules := []sarifRule{}
	index := map[string]int{}
	for i, c := range checks.All() {
		index[c.Name] = i
		doc := strings.ReplaceAll(c.Doc, "\n", " ")
		rules = append(rules, sarifRule{c.Name, identifier(c.Name), sarifText{c.Title}, sarifText{doc},
			sarifHelp{
				doc + "\n\nBad:\n" + c.Bad + "\n\nGood:\n" + c.Good,
				doc + "\n\nBad:\n\n```html\n" + c.Bad + "\n```\n\nGood:\n\n```html\n" + c.Good + "\n```\n",
			},
			map[string]string{"level": c.Severity.String()}, map[string]any{"tags": []string{c.Family}}})
	}
	results := []sarifResult{}
	folder := repositoryFolder(a)
	for _, f := range a.Findings {
		file := sarifFile{(&url.URL{Path: inRepository(folder, f.File)}).EscapedPath(), "ROOT"}
		results = append(results, sarifResult{f.Check, index[f.Check], f.Severity.String(),
			sarifText{plainMessage(f.Message + ". " + f.Remedy)},
			[]sarifLocation{{sarifPlace{file, sarifRegion{max(f.Line, 1), max(f.Column, 1)}}}},
			map[string]string{"page": valid(f.Page), "item": valid(f.Item),
				"cause": valid(strings.TrimSpace(f.Check + " " + f.About))}})
	}
	doc := map[string]any{
		"$schema": "https://json.schemastore.org/sarif-2.1.0.json", "version": "2.1.0",
		"runs": []any{map[string]any{
			"tool": map[string]any{
				"driver": map[string]any{
					"name":            "Yellow Gate",
					"version":         version.Number,
					"semanticVersion": version.Number,
					"rules":           rules,
				},
			},
			"columnKind": "unicodeCodePoints",
			"originalUriBaseIds": map[string]any{
				"ROOT": map[string]any{
					"uri": workingFolder(),
					"description": map[string]string{
						"text": "the folder in which the audit was run: the top of a checkout",
					},
				},
			},
			"results": results,
		}},
	}
	j, err := json.MarshalIndent(doc, "", " ")
	if err != nil {
		return err
	}
	_, err = safeJSON{w}.Write(append(j, '\n'))
	return err
}

// repositoryFolder is the folder, relative to the one of the gate file, under which a repository has the
// pages: the source where there is one, since nobody commits the output.
func repositoryFolder(a *result.Audit) string {
	if a.Source != "" {
		return a.Source
	}
	if filepath.IsAbs(a.Dir) || strings.Contains(a.Dir, "://") {
		return ""
	}
	return filepath.ToSlash(a.Dir)
}

// inRepository is a file of a finding: of the pages, or a gate file, which is named from where it lies.
func inRepository(folder, file string) string {
	if ext := path.Ext(file); ext == ".yaml" || ext == ".yml" {
		return file
	}
	return path.Join(folder, file)
}

// workingFolder is the folder in which the audit is run, as a URI that ends with a slash (SARIF, 3.14.14).
func workingFolder() string {
	dir, err := os.Getwd()
	if err != nil {
		dir = "/"
	}
	return (&url.URL{Scheme: "file", Path: strings.TrimSuffix(filepath.ToSlash(dir), "/") + "/"}).String()
}

// plainMessage is a text as the text of a SARIF message (3.11.5 and 3.11.6): in one, square
// brackets make links, and nothing else is markup.
func plainMessage(s string) string {
	return strings.NewReplacer("\\", "\\\\", "[", "\\[", "]", "\\]").Replace(valid(s))
}

// identifier is a check's name as SARIF wants it: words in capitals.
func identifier(name string) string {
	out := ""
	for w := range strings.SplitSeq(name, "-") {
		out += strings.ToUpper(w[:1]) + w[1:]
	}
	return out
}

// mostInMarkdown is how many causes a comment has.
const mostInMarkdown = 30

// Markdown writes an audit as a comment for a pull request (GitHub Flavored
// Markdown): the counts, and the causes that do the most harm.
func Markdown(w io.Writer, a *result.Audit) error {
	var b strings.Builder
	head := "✅ No errors"
	if a.Totals.Errors > 0 {
		head = "❌ " + wording.Count(a.Totals.Errors, "error")
	}
	fmt.Fprintf(&b, "### Audit of %s: %s, %s, %s\n\n", inline(a.Dir), head,
		wording.Count(a.Totals.Warnings, "warning"), wording.Count(a.Totals.Notes, "note"))
	fmt.Fprintf(&b, "%s, %s, %s.", wording.Count(a.Pages, "page"), wording.Count(a.Requests, "request"),
		wording.Size(a.Bytes))
	if a.Totals.Accepted > 0 {
		fmt.Fprintf(&b, " %s accepted.", wording.Count(a.Totals.Accepted, "finding"))
	}
	b.WriteString("\n")
	causes := causesOf(a, false)
	if len(causes) > 0 {
		b.WriteString("\n| | check | where | cause |\n|---|---|---|---|\n")
	}
	for i, c := range causes {
		if i == mostInMarkdown {
			fmt.Fprintf(&b, "\nand %s\n", wording.Count(len(causes)-i, "more cause"))
			break
		}
		fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", c.First.Severity, c.First.Check, text(onWhich(c, a.Pages)),
			text(c.First.Message))
	}
	var items []string
	for _, it := range a.ByItem {
		if it.Missing+it.Leaked > 0 {
			items = append(items,
				fmt.Sprintf("| %s | %d | %d | %d | %d |\n", it.Item.Name, it.In, it.Present, it.Missing, it.Leaked))
		}
	}
	if len(items) > 0 {
		b.WriteString(
			"\n| item | expected on | found on | missing | leaked |\n|---|---:|---:|---:|---:|\n" +
				strings.Join(items, ""))
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// inline is a text as code; text is one as text, in which nothing is markup.
func inline(s string) string {
	return "`" + strings.NewReplacer("`", "'", "|", "\\|").Replace(valid(s)) + "`"
}

func text(s string) string {
	return strings.NewReplacer("\\", "\\\\", "`", "\\`", "*", "\\*", "_", "\\_", "[", "\\[", "]", "\\]", "|", "\\|",
		"<", "&lt;", ">", "&gt;", "&", "&amp;", "#", "\\#", "~", "\\~", "@", "@\u200B", "!", "\\!").Replace(valid(s))
}
