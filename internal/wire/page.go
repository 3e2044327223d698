package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/query"
	"harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
	"harvik/internal/record"
)

// Page is a fetched address in a list: a cell for each column that has one.
func Page(in *column.Row) api.Page {
	out := api.Page{"address": in.Address, "html": in.HTML}
	for i := range column.All {
		if c := &column.All[i]; c.Of(in) != nil {
			out[c.Key] = c.Of(in)
		}
	}
	if len(in.Terms) > 0 {
		out["terms"] = in.Terms
	}
	if len(in.Figures) > 0 {
		out["figures"] = in.Figures
	}
	return out
}

// Word is a name with what it says to people.
func Word(in *vocabulary.Word) api.Word { return api.Word{Name: in.Name, Says: in.Says} }

// Column is one property of a fetched address.
func Column(in *column.Column) api.Column {
	return api.Column{Key: in.Key, Name: in.Name, Kind: in.Kind.String(), Unit: in.Unit, Width: in.Width, Say: in.Say}
}

// PageList is a part of the pages.
func PageList(asked *query.View, in *record.PageList) api.PageList {
	return api.PageList{Pages: Each(in.Pages, Page), Total: in.Total, Next: in.Next, Of: asked.Of,
		Question: asked.Question, Order: asked.Order}
}

// PageFinding is a check failing on one page, as grave as it was judged, with its evidence.
func PageFinding(in *record.PageFinding, severity check.Severity) api.PageFinding {
	return api.PageFinding{
		Address: in.Address, Check: in.Check, Severity: severity.String(), Count: in.Count,
		Places: Each(in.Places, place),
		Health: in.Health, Title: in.Title, Outline: some(in.Outline, heading),
	}
}

func place(in *check.Place) api.Place {
	return api.Place{
		Note: in.Note, Value: in.Value, Target: in.Target, Words: in.Words, At: in.At, Line: in.Line,
		Col: in.Col, Others: in.Others, Of: in.Of, Hops: some(in.Hops, hop), Likeness: in.Likeness,
		Carrier: in.Carrier, Region: int(in.Region), Group: in.Group,
	}
}

func hop(in *check.Hop) api.Hop {
	return api.Hop{Address: in.Address, Status: in.Status}
}

// KnownAddress is an address that the crawl knows.
func KnownAddress(in *record.AddressRow) api.KnownAddress {
	return api.KnownAddress{
		Address: in.Address, State: in.State, Depth: in.Depth, FoundOn: in.FoundOn, InSitemap: in.InSitemap,
		RuleLine: in.RuleLine, Rule: in.RuleText, Role: in.Role, Found: in.Found,
	}
}

// AddressList is a part of a crawl's addresses.
func AddressList(in *record.AddressList) api.AddressList {
	return api.AddressList{Addresses: Each(in.Addresses, KnownAddress), Total: in.Total, Next: in.Next}
}

func load(in *record.LoadRow) api.Load {
	return api.Load{
		Address: in.Address, Role: in.Role, By: in.By, Status: in.Status, Outcome: in.Outcome, Type: in.Type,
		Bytes: in.Bytes,
	}
}

// Link is one link of a page, or into it.
func Link(in *record.LinkRow) api.Link {
	return api.Link{
		From: in.From, To: in.To, Words: in.Words, Place: in.Place, Region: in.Region, Nofollow: in.NoFollow,
		Line: in.Line, Href: in.Href, Status: in.Status,
	}
}

// LinksInto is the links that lead to an address.
func LinksInto(in *record.LinksInto) api.LinksInto {
	return api.LinksInto{Links: Each(in.Links, Link), Pages: in.Pages, Next: in.Next}
}

// PageDetail is everything known about one address.
func PageDetail(in *record.PageDetail, finding func(*record.PageFinding) api.PageFinding) api.PageDetail {
	return api.PageDetail{
		Address: in.Address, State: in.State, Depth: in.Depth, FoundOn: in.FoundOn, InSitemap: in.InSitemap,
		RuleLine: in.RuleLine, Rule: in.RuleText, Role: in.Role, Found: in.Found, Page: maybe(in.Row, Page),
		Loads: some(in.Loads, load), Facts: maybe(in.Facts, facts), Findings: Each(in.Findings, finding),
		Links: Each(in.Links, Link), MainText: in.MainText,
	}
}

// Comparison is two main texts side by side.
func Comparison(in *record.Comparison) api.Comparison {
	return api.Comparison{
		A: in.A, B: in.B, WordsA: in.WordsA, WordsB: in.WordsB, Likeness: in.Likeness,
		Passages: Each(in.Passages, Passage),
	}
}

// Passage is a part of two texts set side by side.
func Passage(in *text.Passage) api.Passage {
	return api.Passage{In: in.In, Text: in.Text}
}

// Look is one page, fetched and judged at once.
func Look(in *record.Look) api.Look {
	built := some(in.Rendered, Rendering)
	for i := range min(len(built), len(in.Pictures)) {
		built[i].Picture = in.Pictures[i]
	}
	return api.Look{
		Address: in.Address, Hops: in.Hops, Detail: in.Detail, Facts: maybe(in.Facts, facts),
		Indexable: in.Indexable, Why: in.Why, Desktop: entry(&in.Desktop), Phone: entry(&in.Phone),
		Links: Each(in.Links, Link), Loads: Each(in.Loads, load), Verdicts: Each(in.Verdicts, verdict),
		Renderings: built,
	}
}

func entry(in *record.Entry) api.Entry {
	return api.Entry{
		Title: in.Title, TitleCut: in.TitleCut, About: in.About, AboutCut: in.AboutCut, Address: in.Address,
	}
}

func verdict(in *check.Verdict) api.Verdict {
	return api.Verdict{
		Check: in.Check, Group: in.Group, Severity: in.Severity.String(), Title: in.Title,
		State: in.State, Steps: List(in.Steps), Places: some(in.Places, place),
	}
}
