package booking

import (
	"bytes"
	"strconv"

	"harvik/internal/core/page"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
)

// A File is a robots.txt or sitemap as a crawl got it.
type File struct {
	Kind    string // Robots or Sitemap
	Address string
	Status  int          // 0 if there was no answer
	Outcome page.Outcome // why there was none
	Detail  string
	Body    []byte
}

// Kinds of files.
const (
	Robots  = "robots"
	Sitemap = "sitemap"
)

// RobotsAddress is where the robots.txt of an origin is, which ends with its slash.
func RobotsAddress(origin string) string { return origin + "robots.txt" }

// Rules are what a robots.txt says. A 4xx answer allows everything; a 5xx answer, or none, forbids it (RFC 9309,
// 2.3.1).
func (f *File) Rules() *robots.File {
	switch {
	case f.Status >= 200 && f.Status < 300:
		return robots.Parse(f.Body)
	case f.Status >= 500:
		return robots.Forbid("robots.txt could not be had (status " + strconv.Itoa(f.Status) +
			"), which shuts everything out")
	case f.Status == 0:
		return robots.Forbid("robots.txt could not be had (" + f.Detail + "), which shuts everything out")
	}
	return new(robots.File)
}

// HeadBytes is what of a robots.txt tells what it is, once it is read.
const HeadBytes = 200

// Evidence is what the checks are told of a robots.txt, which says what rules are.
func (f *File) Evidence(rules *robots.File) survey.RobotsFile {
	head := bytes.ToLower(bytes.TrimSpace(f.Body[:min(len(f.Body), HeadBytes)]))
	return survey.RobotsFile{
		Address: f.Address, Status: f.Status, Detail: f.Detail, Outcome: f.Outcome, File: rules,
		HTML: bytes.HasPrefix(head, []byte("<!doctype")) || bytes.HasPrefix(head, []byte("<html")),
	}
}
