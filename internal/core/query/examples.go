package query

// Examples are questions of everyday work, by no name; the documentation shows them.
var Examples = []View{
	{Say: "Pages that search engines may show, with next to nothing on them", Of: "pages",
		Question: `indexable && words < 100 && !(kind in ["contact", "list"])`, Order: "words"},
	{
		Say:      "Pages over three kilobytes without a description",
		Of:       "pages",
		Question: `bytes > 3000 && description == ""`,
		Order:    "-bytes",
	},
	{Say: "Shop pages with fewer than ten links in", Of: "pages", Question: `section == "/shop/" && linksIn < 10`,
		Order: "linksIn"},
	{Say: "Pages that no link leads to", Of: "pages", Question: `indexable && !known(clicks)`,
		Columns: []string{"address", "title", "foundBy", "inSitemap"}},
	{Say: "What search engines may not show although the home page leads there in two clicks", Of: "pages",
		Question: `!indexable && clicks <= 2 && status == 200`, Columns: []string{"address", "why", "clicks", "linksIn"}},
	{
		Say:      "Titles that still say what they should not",
		Of:       "pages",
		Question: `title.matches("(?i)\\b(untitled|draft|test)\\b")`,
	},
	{
		Say: "Pages whose text still speaks of what there is no more", Of: "pages",
		Question: `text.contains("sound tour")`,
	},
	{
		Say:      "How long pages are, section by section",
		Of:       "pages",
		Question: `status == 200`,
		By:       "section",
		Measure:  "words",
	},
	{Say: "What stands in the way of showing pages", Of: "pages", Question: `!indexable`, By: "why"},
	{
		Say:      "Pictures over a hundred kilobytes, the heaviest first",
		Of:       "resources",
		Question: `role == "image" && bytes > 100000`,
		Order:    "-bytes",
	},
	{Say: "Every link to a page that is gone, with its words", Of: "links",
		Question: `target.status in [404, 410] && region == "content"`},
	{Say: "The same, by where they lead", Of: "links", Question: `target.status in [404, 410]`, By: "target.address"},
	{Say: "Links in texts whose words say nothing", Of: "links",
		Question: `region == "content" && words.lower() in ["here", "click here", "more", "read more"]`},
	{Say: "Links that search engines may not follow, to pages of one's own", Of: "links",
		Question: `!follow && target.role == "page"`},
	{
		Say: "Redirects by more than one hop, or that end badly", Of: "redirects",
		Question: `hops > 1 || circle || endStatus >= 400`, Order: "-hops",
		Columns: []string{"address", "way", "end", "endStatus", "linksIn"},
	},
	{
		Say:      "Errors on pages that the home page links to",
		Of:       "findings",
		Question: `severity == "error" && page.clicks == 1`,
	},
	{
		Say: "Images over half a megabyte, with where they stand", Of: "images", Question: `target.bytes > 500000`,
		Order: "-target.bytes",
	},
	{Say: "Which headings stand on many pages", Of: "headings", Question: `level <= 2`, By: "text"},
	{
		Say: "What sitemaps list that cannot be shown", Of: "sitemap",
		Question: `status != 200 || !indexable || state != "fetched"`, By: "state",
	},
	{Say: "What kinds of things structured data tells of", Of: "data", By: "types"},
	{Say: "Languages that pages name no working address for", Of: "alternates", Question: `target.status != 200`,
		By: "lang"},
	{Say: "Texts that several pages share", Of: "duplicates", Question: `what == "text"`, Order: "-shared"},
	{
		Say:      "Which titles are shared, and by how many pages",
		Of:       "findings",
		Question: `check == "title-duplicate"`,
		By:       "value",
	},
}
