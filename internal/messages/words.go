package messages

import (
	"embed"
	"encoding/json"
	"encoding/xml"
	"fmt"
	htmltemplate "html/template"
	"strconv"
	"strings"
	texttemplate "text/template"
	"time"

	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

//go:embed words/*
var words embed.FS

var functions = map[string]any{
	"when":   func(t time.Time) string { return t.UTC().Format("Mon 2 Jan 15:04 UTC") },
	"day":    func(t time.Time) string { return t.UTC().Format("2 January 2006") },
	"points": func(p *float64) string { return fmt.Sprintf("%.1f", *p) },
	"step":   func(was, is *float64) string { return fmt.Sprintf("%+.1f", *is-*was) },
	"gain":   func(g float64) string { return fmt.Sprintf("%+.2f", g) },
	"count":  numbers.Count,
}

var (
	textForm = texttemplate.Must(texttemplate.New("message.txt").Funcs(functions).ParseFS(words, "words/*.txt"))
	htmlForm = htmltemplate.Must(htmltemplate.New("message.html").Funcs(functions).ParseFS(words, "words/*.html"))
)

// shown is a message with where its links lead.
type shown struct {
	record.Message
	Console string
}

// Text is a message as plain text.
func Text(one record.Message, console string) (string, error) {
	var b strings.Builder
	err := textForm.ExecuteTemplate(&b, "message.txt", shown{one, console})
	return b.String(), err
}

// HTML is a message as HTML of one screen, without anything from elsewhere.
func HTML(one record.Message, console string) (string, error) {
	var b strings.Builder
	err := htmlForm.ExecuteTemplate(&b, "message.html", shown{one, console})
	return b.String(), err
}

// The JSON of a webhook: names in camel case, as in the API.
type (
	jsonMessage struct {
		Key     string     `json:"key"`
		Way     string     `json:"way"`
		Created time.Time  `json:"created"`
		Subject string     `json:"subject"`
		Test    bool       `json:"test,omitempty"`
		Items   []jsonItem `json:"items"`
		More    int        `json:"more,omitempty"`
		Text    string     `json:"text"`
	}
	jsonItem struct {
		Alert int64     `json:"alert"`
		Site  string    `json:"site"`
		Rule  string    `json:"rule"`
		What  string    `json:"what"`
		Over  bool      `json:"over"`
		Says  string    `json:"says"`
		Lines []string  `json:"lines"`
		More  int       `json:"more,omitempty"`
		Count int       `json:"count,omitempty"`
		First string    `json:"first,omitempty"`
		Since time.Time `json:"since"`
		Link  string    `json:"link"`
	}
)

// JSON is a message as a webhook sends it.
func JSON(w record.Way, one record.Message, console string) ([]byte, error) {
	text, err := Text(one, console)
	if err != nil {
		return nil, err
	}
	out := jsonMessage{Key: one.Key, Way: w.Name, Created: one.Created, Subject: one.Body.Subject, Test: one.Body.Test,
		More: one.Body.More, Items: []jsonItem{}, Text: text}
	for _, i := range one.Body.Items {
		lines := i.Lines
		if lines == nil {
			lines = []string{}
		}
		out.Items = append(
			out.Items,
			jsonItem{i.Alert, i.Site, i.Rule, i.What, i.Over, i.Says, lines, i.More, i.Count, i.First,
				i.Since, console + i.Link},
		)
	}
	return json.Marshal(out)
}

// The Atom feed (RFC 4287).
type (
	atomFeed struct {
		XMLName xml.Name    `xml:"http://www.w3.org/2005/Atom feed"`
		Title   string      `xml:"title"`
		ID      string      `xml:"id"`
		Updated string      `xml:"updated"`
		Author  atomAuthor  `xml:"author"`
		Entries []atomEntry `xml:"entry"`
	}
	atomAuthor struct {
		Name string `xml:"name"`
	}
	atomEntry struct {
		Title   string      `xml:"title"`
		ID      string      `xml:"id"`
		Updated string      `xml:"updated"`
		Link    atomLink    `xml:"link"`
		Content atomContent `xml:"content"`
	}
	atomLink struct {
		Href string `xml:"href,attr"`
	}
	atomContent struct {
		Type string `xml:"type,attr"`
		Text string `xml:",chardata"`
	}
)

// Atom is a feed of alerts, the newest first.
func Atom(
	w record.Way,
	all []record.Alert,
	link func(record.Alert) string,
	console string,
	now time.Time,
) ([]byte, error) {
	feed := atomFeed{
		Title:   "Harvik: " + w.Name,
		ID:      "urn:harvik:way:" + w.Name,
		Updated: now.UTC().Format(time.RFC3339),
		Author:  atomAuthor{"Harvik"},
	}
	for _, a := range all {
		e := atomEntry{
			Title:   a.Site + ": " + a.Told.Says,
			ID:      "urn:harvik:alert:" + strconv.FormatInt(a.ID, 10),
			Updated: a.Began.UTC().Format(time.RFC3339),
			Link:    atomLink{console + link(a)},
		}
		lines := append([]string{a.Told.Says}, a.Told.Lines...)
		if a.Told.More > 0 {
			lines = append(lines, "and "+strconv.Itoa(a.Told.More)+" more")
		}
		if a.Told.First != "" {
			lines = append(lines, a.Told.First)
		}
		if a.Ended != nil {
			e.Updated = a.Ended.UTC().Format(time.RFC3339)
			lines = append(lines, "Over: "+a.Over)
			e.Title += " (over)"
		}
		e.Content = atomContent{"text", strings.Join(lines, "\n")}
		feed.Entries = append(feed.Entries, e)
	}
	if len(feed.Entries) > 0 {
		feed.Updated = feed.Entries[0].Updated
	}
	out, err := xml.MarshalIndent(feed, "", "  ")
	return append([]byte(xml.Header), out...), err
}
