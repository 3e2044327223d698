package report

import (
	"encoding/xml"
	"io"
	"strings"

	"harvik/internal/core/gate"
)

type (
	junitSuite struct {
		XMLName  xml.Name    `xml:"testsuite"`
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Errors   int         `xml:"errors,attr"`
		Skipped  int         `xml:"skipped,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitCase struct {
		Class   string        `xml:"classname,attr"`
		Name    string        `xml:"name,attr"`
		Failure *junitFailure `xml:"failure"`
		Out     string        `xml:"system-out,omitempty"`
	}
	junitFailure struct {
		Message string `xml:"message,attr"`
		Kind    string `xml:"type,attr"`
		Text    string `xml:",chardata"`
	}
)

// JUnit writes a gate's verdict as JUnit XML, as pipelines read it: one test case for each condition.
func JUnit(w io.Writer, name string, v gate.Verdict) error {
	s := junitSuite{Name: "harvik gate " + name, Tests: len(v.Reasons)}
	for _, r := range v.Reasons {
		c := junitCase{Class: "harvik.gate", Name: r.Name}
		if r.Passed {
			c.Out = r.Says
		} else {
			s.Failures++
			c.Failure = &junitFailure{Message: r.Says, Kind: "condition", Text: strings.Join(r.Fixes, "\n")}
		}
		s.Cases = append(s.Cases, c)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(s); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}
