package report

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"unicode"
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// The parts of SARIF 2.1.0 (OASIS) that are written.
type (
	sarifText struct {
		Text string `json:"text"`
	}
	sarifRule struct {
		ID      string    `json:"id"`
		Name    string    `json:"name"`
		Short   sarifText `json:"shortDescription"`
		Full    sarifText `json:"fullDescription"`
		Help    sarifText `json:"help"`
		Default struct {
			Level string `json:"level"`
		} `json:"defaultConfiguration"`
		Properties struct {
			Tags []string `json:"tags"`
		} `json:"properties"`
	}
	sarifRegion struct {
		Line   int `json:"startLine"`
		Column int `json:"startColumn,omitempty"`
	}
	sarifPhysical struct {
		Artifact struct {
			URI string `json:"uri"`
		} `json:"artifactLocation"`
		Region *sarifRegion `json:"region,omitempty"`
	}
	sarifLocation struct {
		Physical sarifPhysical `json:"physicalLocation"`
	}
	sarifSuppression struct {
		Kind          string `json:"kind"`
		Justification string `json:"justification"`
	}
	sarifResult struct {
		Rule         string             `json:"ruleId"`
		RuleIndex    int                `json:"ruleIndex"`
		Level        string             `json:"level"`
		Message      sarifText          `json:"message"`
		Locations    []sarifLocation    `json:"locations"`
		Occurrences  int                `json:"occurrenceCount,omitempty"`
		Prints       map[string]string  `json:"partialFingerprints"`
		Suppressions []sarifSuppression `json:"suppressions,omitempty"`
		Baseline     string             `json:"baselineState,omitempty"`
	}
)

// levels of SARIF by severity.
var levels = [...]string{check.Error: "error", check.Warning: "warning", check.Notice: "note"}

// maxNotes bounds the places that one result tells of; the others are counted.
const maxNotes = 5

// A Run is what SARIF needs to know of a crawl besides its findings.
type Run struct {
	Crawl   record.Crawl
	Catalog []*check.Check
	Only    Selection
	Waived  func(check, address string) (reason string, ok bool)
	Failed  func(check, address string) bool // in the crawl to compare with; nil for none
}

// SARIF writes findings in the Static Analysis Results Interchange Format 2.1.0 (OASIS Standard): one
// result for each check that fails on a page. What is waived is suppressed, with the reason.
func SARIF(ctx context.Context, w io.Writer, from Source, run Run) error {
	out := bufio.NewWriterSize(w, 1<<16)
	index := map[string]int{}
	rules := make([]sarifRule, len(run.Catalog))
	for i, c := range run.Catalog {
		index[c.ID] = i
		r := &rules[i]
		r.ID, r.Name, r.Short.Text, r.Full.Text, r.Help.Text = c.ID, sentence(c.Title), sentence(c.Title),
			c.What+" "+c.Why, c.How
		r.Default.Level, r.Properties.Tags = levels[c.Severity], []string{c.Group}
	}
	encoded, err := json.Marshal(rules)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, `{"$schema":"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json","version":"2.1.0","runs":[{"tool":{"driver":{"name":"Harvik","rules":%s}},`, encoded)
	fmt.Fprintf(out, `"automationDetails":{"id":%s},"columnKind":"unicodeCodePoints","results":[`,
		quoted(fmt.Sprintf("%s/%d", run.Crawl.Site, run.Crawl.Number)))
	first := true
	var line bytes.Buffer
	results := json.NewEncoder(&line)
	results.SetEscapeHTML(false)
	err = from.EachFinding(ctx, run.Crawl.ID, nil, func(f *record.PageFinding) error {
		rule, known := index[f.Check]
		if !known || !run.Only.takes(f.Gravity(run.Catalog[rule])) || !run.Only.below(f.Address) {
			return nil
		}
		line.Reset()
		if !first {
			line.WriteString(",\n")
		}
		first = false
		if err := results.Encode(run.result(f, rule)); err != nil {
			return err
		}
		line.Truncate(line.Len() - 1)
		_, err := out.Write(line.Bytes())
		return err
	})
	if err != nil {
		return err
	}
	out.WriteString("]}]}\n")
	return out.Flush()
}

func (run *Run) result(f *record.PageFinding, rule int) sarifResult {
	c := run.Catalog[rule]
	address := f.Address
	if address == "" {
		address = run.Crawl.Home
	}
	r := sarifResult{
		Rule: c.ID, RuleIndex: rule, Level: levels[f.Gravity(c)], Occurrences: max(f.Count, 1),
		Prints: map[string]string{"finding/v1": c.ID + " " + address}, Message: sarifText{sentence(c.Title)},
	}
	for i := range f.Places {
		if i == maxNotes {
			r.Message.Text += fmt.Sprintf("; and %s", text.Count(f.Count-i, "more place", "more places"))
			break
		}
		p := &f.Places[i]
		if i > 0 {
			r.Message.Text += ";"
		}
		r.Message.Text += " " + p.Note
		var at sarifLocation
		if at.Physical.Artifact.URI = address; f.Address == "" && p.Target != "" {
			at.Physical.Artifact.URI = p.Target
		}
		if p.Line > 0 {
			at.Physical.Region = &sarifRegion{Line: p.Line, Column: p.Col}
		}
		if i == 0 || p.Line > 0 {
			r.Locations = append(r.Locations, at)
		}
	}
	if len(r.Locations) == 0 {
		r.Locations = make([]sarifLocation, 1)
		r.Locations[0].Physical.Artifact.URI = address
	}
	if run.Waived != nil {
		if reason, ok := run.Waived(f.Check, f.Address); ok {
			r.Suppressions = []sarifSuppression{{"external", reason}}
		}
	}
	if run.Failed != nil {
		r.Baseline = "new"
		if run.Failed(f.Check, f.Address) {
			r.Baseline = "unchanged"
		}
	}
	return r
}

// sentence makes a sentence of a check's title.
func sentence(title string) string {
	first, n := utf8.DecodeRuneInString(title)
	return string(unicode.ToUpper(first)) + title[n:] + "."
}

func quoted(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}
