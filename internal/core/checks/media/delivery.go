package media

import (
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const lazySource = "HTML standard, 2.5.7 (lazy loading attributes); search engines' public guidance on lazy loading"

// delivery are the checks of when pictures are loaded, and in which size.
var delivery = []*check.Check{
	{
		ID: "image-lazy-early", Group: group, Since: 5, Severity: check.Notice, Scope: check.Documents,
		Effort: check.Minutes,
		Title:  "first picture of the page is loaded lazily",
		Line:   "The first picture, which is seen at once, is loaded lazily",
		What:   "The first picture of the page stands near its top and has loading=\"lazy\".",
		Why:    "The browser asks for it only when the page has been laid out, so that what visitors see first arrives last.",
		How:    "Leave loading=\"lazy\" away from the pictures that are seen without scrolling.", Source: lazySource,
		Page: lazyEarly,
	},
	{
		ID: "image-lazy-missing", Group: group, Since: 5, Severity: check.Notice, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "pictures far down the page are loaded at once", Line: "Pictures far down the page are loaded at once",
		What: "The pictures of the page that stand below its first paragraphs, and have no loading=\"lazy\", have more bytes together than the threshold.",
		Why:  "They compete for the line with what visitors see first, and most visitors never scroll down to them.",
		How:  "Write loading=\"lazy\" on pictures that are seen only after scrolling.", Source: lazySource,
		Limits: []string{"eager-bytes"}, Site: lazyMissing,
	},
	{
		ID: "image-one-size", Group: group, Since: 5, Severity: check.Notice, Scope: check.WholeSite,
		Effort: check.Hours,
		Title:  "large picture in one size only", Line: "Large pictures are offered in one size only",
		What:   "A photograph with more bytes than the threshold has no srcset, and stands in no picture element.",
		Why:    "A telephone loads the same file as a desktop with a wide screen.",
		How:    "Let the content system make several sizes, and name them in srcset.",
		Source: "HTML standard, 4.8.4.2 (responsive images)", Limits: []string{"one-size-bytes"}, Site: oneSize,
	},
}

func lazyEarly(p *check.PagePass) {
	at := slices.IndexFunc(p.Doc.Images, func(i page.Image) bool { return i.Early })
	if at >= 0 && p.Doc.Images[at].Lazy {
		i := &p.Doc.Images[at]
		p.Report(image(i, "%s has loading=\"lazy\"", check.Short(i.Src)))
	}
}

// showing calls f with the facts of the pages that show pictures of more bytes than some, together more than enough.
func showing(
	p *check.SitePass, some int, enough func(*survey.Page) int, f func(*survey.Page, *page.Facts),
) error {
	on := map[int32]int{}
	p.Users(func(t int32) bool { return p.IsPicture(t) && bytesOf(p, t) > some },
		func(l survey.Loading) { on[l.Page] += bytesOf(p, l.Target) })
	return p.EachFacts(func(g *survey.Page) bool {
		n := on[g.ID]
		return g.HTML && g.Status == 200 && n > enough(g)
	}, f)
}

func bytesOf(p *check.SitePass, t int32) int {
	if g := p.Got(t); g != nil && g.Status == 200 {
		return g.Bytes
	}
	return 0
}

// leastEager leaves out what weighs nothing: signs and bullets.
const leastEager = 2000

func lazyMissing(p *check.SitePass) error {
	enough := func(g *survey.Page) int { return p.LimitsAt(g).EagerBytes }
	return showing(p, leastEager, enough, func(g *survey.Page, f *page.Facts) {
		seen := map[string]bool{}
		sum := 0
		var first *page.Image
		for k := range f.Document.Images {
			i := &f.Document.Images[k]
			if i.Early || i.Lazy || seen[i.Address] {
				continue
			}
			seen[i.Address] = true
			t, ok := p.Find(i.Address)
			if !ok {
				continue
			}
			if n := bytesOf(p, t); n > leastEager {
				if sum += n; first == nil {
					first = i
				}
			}
		}
		if first != nil && sum > p.LimitsAt(g).EagerBytes {
			p.Report(g.ID, image(first, "%s bytes of pictures below the first paragraphs are loaded at once, such as %s", text.Thousands(sum), check.Short(first.Src)))
		}
	})
}

// scaled are types of pictures that lose by being loaded larger than they are shown.
var scaled = []string{"image/jpeg", "image/png", "image/webp", "image/avif"}

func oneSize(p *check.SitePass) error {
	enough := func(g *survey.Page) int { return p.LimitsAt(g).OneSizeBytes }
	return showing(p, p.Limits.OneSizeBytes, enough, func(g *survey.Page, f *page.Facts) {
		seen := map[string]bool{}
		for k := range f.Document.Images {
			i := &f.Document.Images[k]
			t, ok := p.Find(i.Address)
			if !ok || i.Sizes || seen[i.Address] {
				continue
			}
			if n := bytesOf(p, t); n > p.LimitsAt(g).OneSizeBytes && slices.Contains(scaled, p.Got(t).Type) {
				seen[i.Address] = true
				p.Report(g.ID, image(i, "%s: %s bytes, and no srcset", check.Short(i.Src), text.Thousands(n)))
			}
		}
	})
}
