package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/dom"
	"harvik/internal/core/page"
	"harvik/internal/core/structured"
)

func facts(in *page.Facts) api.Facts {
	return api.Facts{
		Address: in.Address, Outcome: string(in.Outcome), Detail: in.Detail, Status: in.Status,
		Type: in.Type, Bytes: in.Bytes, Transferred: in.Transferred, Coding: in.Coding,
		Protocol: in.Protocol, Header: some(in.Header, headerField), Redirect: in.Redirect, Tries: in.Tries,
		Earlier: in.Earlier, Timing: timing(&in.Timing), Opaque: in.Opaque, Spare: in.Spare,
		Uses: some(in.Uses, use), Pdf: maybe(in.PDF, pdf), Document: maybe(in.Document, document),
	}
}

func headerField(in *page.Field) api.HeaderField {
	return api.HeaderField{Name: in.Name, Value: in.Value}
}

func timing(in *page.Timing) api.Timing {
	return api.Timing{
		Resolve: in.Resolve, Connect: in.Connect, TLS: in.TLS, FirstByte: in.FirstByte, Whole: in.Whole,
	}
}

func use(in *page.Use) api.Use {
	return api.Use{
		Role: int(in.Role), Address: in.Address, By: in.By, Line: in.Line, Rules: in.Rules, Under: in.Under,
	}
}

func pdf(in *page.PDF) api.PDF {
	return api.PDF{Title: in.Title, Lang: in.Lang, Pages: in.Pages, Fault: in.Fault}
}

func document(in *page.Document) api.Document {
	return api.Document{
		Charset: in.Charset, Charsets: charsets(&in.Charsets), HasLang: in.HasLang, Lang: in.Lang,
		LangPos: position(&in.LangPos), XMLLang: in.XMLLang, Base: in.Base, Titles: some(in.Titles, textAt),
		Descriptions: some(in.Descriptions, textAt), Keywords: some(in.Keywords, textAt),
		Viewports: some(in.Viewports, textAt), Canonicals: some(in.Canonicals, reference),
		Robots: robotsOf(&in.Robots), Refresh: in.Refresh, RefreshTo: in.RefreshTo,
		Alternates: some(in.Alternates, alternate), Cards: some(in.Cards, namedValue),
		Data: some(in.Data, dataItem), DataFaults: some(in.DataFaults, dataFault),
		Forms: some(in.Forms, form), Frames: in.Frames, Scripts: some(in.Scripts, script),
		BareFrames: some(in.BareFrames, element), BareFields: some(in.BareFields, element),
		TwiceIds: in.TwiceIDs, Markup: markup(&in.Markup), Shape: shape(&in.Shape),
		Headings: some(in.Headings, heading), Images: some(in.Images, image), Icon: in.Icon, Words: in.Words,
		CodeShare: in.CodeShare, TextLang: in.TextLang, Fillers: in.Fillers, Mails: in.Mails,
		Replaced: in.Replaced, Misread: in.Misread, Snippets: some(in.Snippets, snippetFound),
		Kind: string(in.Kind), KindReason: in.KindReason, KindRead: string(in.KindRead),
		Flattened: in.Flattened, Cut: in.Cut, Left: in.Left,
	}
}

func charsets(in *page.Charsets) api.Charsets {
	return api.Charsets{Header: in.Header, Meta: in.Meta, Late: in.Late, Bom: in.BOM}
}

func position(in *dom.Pos) api.Position {
	return api.Position{Line: in.Line, Col: in.Col}
}

func textAt(in *page.Text) api.TextAt {
	return api.TextAt{Text: in.Text, InHead: in.InHead, Line: in.Line, Col: in.Col}
}

func heading(in *page.Heading) api.Heading {
	return api.Heading{Level: in.Level, Text: in.Text, Place: in.Place, Line: in.Line, Col: in.Col}
}

func reference(in *page.Ref) api.Reference {
	return api.Reference{
		Href: in.Href, Address: in.Address, InHead: in.InHead, Header: in.Header, Line: in.Line, Col: in.Col,
	}
}

func image(in *page.Image) api.Image {
	return api.Image{
		Src: in.Src, Address: in.Address, Alt: in.Alt, HasAlt: in.HasAlt, HasSize: in.HasSize,
		Alone: in.Alone, Lazy: in.Lazy, Sizes: in.Sizes, Early: in.Early, Place: in.Place, Line: in.Line,
		Col: in.Col,
	}
}

func robotsOf(in *page.Robots) api.Robots {
	return api.Robots{Noindex: in.NoIndex, Nofollow: in.NoFollow, Said: some(in.Said, textAt)}
}

func alternate(in *page.Alternate) api.Alternate {
	return api.Alternate{
		Lang: in.Lang, Href: in.Href, Address: in.Address, InHead: in.InHead, Header: in.Header,
		Line: in.Line, Col: in.Col,
	}
}

func namedValue(in *page.Meta) api.NamedValue {
	return api.NamedValue{Name: in.Name, Value: in.Value, Line: in.Line, Col: in.Col}
}

func form(in *page.Form) api.Form {
	return api.Form{Action: in.Action, Post: in.Post, Password: in.Password, Place: in.Place}
}

func script(in *page.Script) api.Script {
	return api.Script{Address: in.Address, Integrity: in.Integrity, Blocking: in.Blocking}
}

func snippetFound(in *page.Snippet) api.SnippetFound {
	return api.SnippetFound{Name: in.Name, Found: in.Found}
}

func shape(in *page.Shape) api.Shape {
	return api.Shape{
		Elements: in.Elements, Depth: in.Depth, Children: in.Children, Parent: in.Parent, Text: in.Text,
		Scripts: in.Scripts, Styles: in.Styles, StyleAttrs: in.StyleAttrs, TableDepth: in.TableDepth,
		ClickOnly: in.ClickOnly, ClickPlace: in.ClickPlace,
	}
}

func markup(in *page.Markup) api.Markup {
	return api.Markup{
		Faults: some(in.Faults, markupFault), More: in.More, Breaker: maybe(in.Breaker, element),
		Obsolete: some(in.Obsolete, element), Frames: some(in.Frames, element),
		Plugins: some(in.Plugins, element), Bases: some(in.Bases, element),
		FirstURL: maybe(in.FirstURL, position), Doctype: in.Doctype, Quirks: in.Quirks,
	}
}

func markupFault(in *page.Fault) api.MarkupFault {
	return api.MarkupFault{Kind: in.Kind, Name: in.Name, Line: in.Line, Col: in.Col}
}

func element(in *page.Element) api.Element {
	return api.Element{Name: in.Name, Type: in.Type, Count: in.Count, Line: in.Line, Col: in.Col}
}

func dataItem(in *structured.Item) api.DataItem {
	return api.DataItem{
		Format: in.Format, Types: in.Types, ID: in.ID, Props: some(in.Props, dataProperty), Other: in.Other,
		Line: in.Line, Col: in.Col,
	}
}

func dataProperty(in *structured.Prop) api.DataProperty {
	return api.DataProperty{Name: in.Name, Text: in.Text, Item: maybe(in.Item, dataItem)}
}

func dataFault(in *structured.Fault) api.DataFault {
	return api.DataFault{Note: in.Note, Line: in.Line, Col: in.Col}
}
