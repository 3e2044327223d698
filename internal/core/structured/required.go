package structured

import (
	"slices"
	"strings"
)

// A requirement is what the search engines' public guidance on rich results asks of a type. Each
// entry of needs is a property, or several of which one is enough, parted by "|".
type requirement struct {
	kind  string
	needs []string
	in    string // only where it stands as this property of another item
	top   bool   // only where it stands outermost
}

// requirements stand with the more particular types first: of those that an item is, the first
// holds. Rests on the public documentation of structured data features of the large search
// engines, as of 2026.
var requirements = []requirement{
	{kind: "Recipe", needs: []string{"name", "image"}},
	{kind: "VideoObject", needs: []string{"name", "thumbnailUrl|thumbnail", "uploadDate"}},
	{kind: "JobPosting", needs: []string{"title", "description", "datePosted", "hiringOrganization",
		"jobLocation|applicantLocationRequirements"}},
	{kind: "FAQPage", needs: []string{"mainEntity"}},
	{kind: "Question", needs: []string{"name|text", "acceptedAnswer|suggestedAnswer"}, in: "mainEntity"},
	{kind: "Answer", needs: []string{"text"}, in: "acceptedAnswer"},
	{kind: "BreadcrumbList", needs: []string{"itemListElement"}},
	{kind: "ListItem", needs: []string{"position", "name|item"}, in: "itemListElement"},
	{kind: "Event", needs: []string{"name", "startDate", "location"}, top: true},
	{kind: "Article", needs: []string{"headline"}, top: true},
	{kind: "LocalBusiness", needs: []string{"name", "address"}, top: true},
	{kind: "Organization", needs: []string{"name|url"}, top: true},
	{kind: "Product", needs: []string{"name", "offers|review|aggregateRating"}, top: true},
	{kind: "AggregateOffer", needs: []string{"lowPrice", "priceCurrency"}, in: "offers"},
	{kind: "Offer", needs: []string{"price|priceSpecification", "priceCurrency|priceSpecification"}, in: "offers"},
	{kind: "AggregateRating", needs: []string{"ratingValue", "ratingCount|reviewCount"}},
	{kind: "Review", needs: []string{"author", "reviewRating"}},
	{kind: "Rating", needs: []string{"ratingValue"}, in: "reviewRating"},
}

// Incomplete finds items that lack what is required of their type.
func Incomplete(items []Item) (out []Problem) {
	eachTop(items, func(top *Item, path string, item, in *Item, as string) {
		if item.Other || len(item.Props) == 0 { // a bare reference to an item described elsewhere
			return
		}
		for _, r := range requirements {
			if !item.Is(r.kind) {
				continue
			}
			if r.in != "" && as != r.in || r.top && in != nil || r.in == "offers" && !in.Is("Product") {
				return
			}
			var missing []string
			for _, need := range r.needs {
				if !slices.ContainsFunc(strings.Split(need, "|"), item.Has) {
					missing = append(missing, strings.ReplaceAll(need, "|", " or "))
				}
			}
			if r.kind == "Review" && in == nil && !item.Has("itemReviewed") {
				missing = append(missing, "itemReviewed")
			}
			if len(missing) > 0 {
				out = append(out, Problem{path, item.Name() + " lacks " + strings.Join(missing, ", "), top})
			}
			return
		}
	})
	return out
}

// Pages are the values that name a page, Pictures those that name a picture, where they are
// addresses.
func Pages(items []Item) []string { return named(items, "url", "item", "mainEntityOfPage") }

// Pictures see Pages.
func Pictures(items []Item) []string { return named(items, "image", "logo", "thumbnailUrl") }

func named(items []Item, names ...string) (out []string) {
	Walk(items, func(_ string, item, _ *Item, _ string) {
		for _, p := range item.Props {
			if !slices.Contains(names, p.Name) {
				continue
			}
			switch {
			case p.Item == nil && (strings.HasPrefix(p.Text, "http://") || strings.HasPrefix(p.Text, "https://") ||
				strings.HasPrefix(p.Text, "/")):
				out = append(out, p.Text)
			case p.Item != nil && len(p.Item.Props) == 0 && strings.HasPrefix(p.Item.ID, "http"):
				out = append(out, p.Item.ID)
			}
		}
	})
	return out
}
