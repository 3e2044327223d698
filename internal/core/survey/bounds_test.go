package survey

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/graph"
	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
)

// texts is a source of main texts.
type texts map[int32]string

var errGone = errors.New("it is gone")

func (x texts) EachText(pages []int32, f func(int32, string)) error {
	for _, id := range pages {
		text, ok := x[id]
		if !ok {
			return errGone
		}
		f(id, text)
	}
	return nil
}

func (texts) EachFacts([]int32, func(int32, *page.Facts)) error          { return nil }
func (texts) EachSkeleton([]int32, func(int32, page.Skeleton)) error     { return nil }
func (texts) EachLinks([]int32, func(int32, []page.Link, []int32)) error { return nil }

// site is a survey of so many addresses that are known, none fetched.
func site(n int) *Survey {
	s := &Survey{}
	for i := range n {
		s.Addresses = append(s.Addresses, Address{URL: fmt.Sprintf("https://fernhollow.example/%d", i), State: Fetched})
	}
	return s
}

func answer(d *page.Document) *page.Facts {
	return &page.Facts{Version: page.Version, Status: 200, Outcome: page.Answered, Document: d}
}

// TestMostlyLinks: two fifths of a page's words, and no navigation.
func TestMostlyLinks(t *testing.T) {
	link := func(words string, r page.Region) page.Link { return page.Link{Words: words, Region: r} }
	for want, links := range map[bool][]page.Link{
		true: {link("one two", page.Content), link("three four", page.Content)},
		false: {link("one two three", page.Content), link("four five six", page.Navigation),
			link("seven", page.Footer)},
	} {
		if got := mostlyLinks(&page.Document{Words: 10, Links: links}); got != want {
			t.Errorf("%v: mostly links is %v", links, got)
		}
	}
}

// TestBrief is what stays of a page: its first description that says something, what can be jumped to, what jumps.
func TestBrief(t *testing.T) {
	s := site(3)
	s.Add(0, answer(&page.Document{Descriptions: []page.Text{{}, {Text: "Ferns"}, {Text: "Moss"}}, IDs: page.Hashes{7},
		Links: []page.Link{{Fragment: "y"}, {Address: "https://fernhollow.example/1"}}}), -1, -1, []int32{-1, 1})
	s.Add(
		1,
		answer(&page.Document{Links: []page.Link{{Fragment: "y", Address: "https://fernhollow.example/0"}}}),
		-1,
		-1,
		[]int32{0},
	)
	if p := s.Pages[0]; p.About.Text != "Ferns" || p.Title.Text != "" || p.Flags&HasAnchors == 0 ||
		p.Flags&HasJumps != 0 {
		t.Errorf("%+v", p)
	}
	if p := s.Pages[1]; p.About.Text != "" || p.Flags&HasAnchors != 0 || p.Flags&HasJumps == 0 {
		t.Errorf("%+v", p)
	}
}

// TestAge: facts are as old as the oldest.
func TestAge(t *testing.T) {
	for _, versions := range [][]int{{5, 6, 7}, {6, 5, 7}, {7, 6, 5}} {
		s := site(3)
		for i, v := range versions {
			f := answer(&page.Document{})
			f.Version = v
			s.Add(int32(i), f, -1, -1, nil)
		}
		if s.Facts != 5 {
			t.Errorf("of versions %v they are of %d", versions, s.Facts)
		}
	}
}

// TestLinkMarks: links of a page's furniture are told from those of its text, and none is lost.
func TestLinkMarks(t *testing.T) {
	s := site(6)
	links := []page.Link{{Region: page.Navigation}, {Region: page.Banner}, {}, {Region: page.Footer},
		{Region: page.Content, NoFollow: true}, {Region: page.Content}}
	s.Add(1, answer(&page.Document{Links: links}), -1, -1, []int32{0, 2, -1, 3, 4, 5})
	got := map[int32]graph.Mark{}
	s.Graph.Each(func(_ int32, to []int32, marks []graph.Mark) {
		for i, t := range to {
			got[t] = marks[i]
		}
	})
	want := map[int32]graph.Mark{0: graph.Navigation, 2: graph.Navigation, 3: graph.Navigation, 4: graph.NoFollow, 5: 0}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("links are marked %v, want %v", got, want)
	}
}

// TestHomeOf: a start that redirects leads to the home page, be it the first that was known; one that never ends is it.
func TestHomeOf(t *testing.T) {
	for _, c := range []struct {
		start int32
		next  []int32
		want  int32
	}{{1, []int32{-1, 0}, 0}, {0, []int32{1, 2, -1}, 2}, {0, []int32{1, 0}, 0}, {1, nil, 1}} {
		if got := (&Survey{Start: c.start, Next: c.next}).Home(); got != c.want {
			t.Errorf("from %d by %v home is %d, want %d", c.start, c.next, got, c.want)
		}
	}
}

// TestOnward: where a redirect leads, no refresh does.
func TestOnward(t *testing.T) {
	s := &Survey{Next: []int32{-1, 0, 0}}
	s.Refresh(0, 2)
	s.Refresh(1, 2)
	if got := s.onward(); !slices.Equal(got, []int32{2, 0, 0}) {
		t.Errorf("leads on to %v", got)
	}
}

// TestClosedOf: a page that may not be shown is closed, unless it names another of the site, even the first, for it.
func TestClosedOf(t *testing.T) {
	s := site(2)
	s.Add(0, answer(&page.Document{}), -1, -1, nil)
	if err := s.Finish(); err != nil {
		t.Fatal(err)
	}
	for canonical, want := range map[int32]bool{-1: true, 0: false, 1: true} {
		if got := s.Closed(&Page{ID: 1, HTML: true, Status: 200, Canonical: canonical}); got != want {
			t.Errorf("with canonical %d it is closed: %v", canonical, got)
		}
	}
}

// TestAuthorityOf: pages alone have authority, and what answers with an error has none.
func TestAuthorityOf(t *testing.T) {
	s := site(3)
	s.Add(0, answer(&page.Document{Links: make([]page.Link, 2)}), -1, -1, []int32{1, 2})
	s.Add(1, answer(&page.Document{}), -1, -1, nil)
	missing := answer(&page.Document{})
	missing.Status = 404
	s.Add(2, missing, -1, -1, nil)
	if err := s.Finish(); err != nil {
		t.Fatal(err)
	}
	if a := s.Authority; a[1] <= a[2] || a[2] != 0 {
		t.Errorf("authorities are %v", a)
	}
}

// beds is a site of one template: pages of so many words of their own after a line that so many of them share.
func beds(t *testing.T, pages, sharing, words int, gone bool) (*Survey, error) {
	t.Helper()
	const shared = "The garden is open all year but for the first week of January."
	s, source := site(pages), texts{}
	for i := range pages {
		own := fmt.Sprintf("Bed %d", i) + strings.Repeat(fmt.Sprintf(" fern%d", i), words-2)
		d := &page.Document{Words: words + 12, Frame: []uint32{1, 2, 3, 4, 5, 6, 7, 8}}
		d.Blocks = []uint32{page.Anchor(own)}
		if d.MainText = own; i < sharing {
			d.MainText, d.Blocks = shared+"\n"+own, append(d.Blocks, page.Anchor(shared), page.Anchor(shared))
		}
		if i == 0 {
			d.Robots.NoIndex = "meta"
		}
		source[int32(i)] = d.MainText
		s.Add(int32(i), answer(d), -1, -1, nil)
	}
	if s.Source = source; gone {
		delete(source, 0)
	}
	return s, s.Finish()
}

// TestLayoutsOwn: a line is its layout's own where more than half of five pages and more have it, and a page by itself
// where less than twenty words would be left. What is taken from a page is taken from what it is about, too.
func TestLayoutsOwn(t *testing.T) {
	for _, c := range []struct {
		pages, sharing, words int
		trimmed               bool
	}{
		{5, 5, 20, true}, {4, 4, 20, false}, {6, 4, 20, true}, {6, 3, 20, false}, {5, 5, 19, false},
	} {
		s, err := beds(t, c.pages, c.sharing, c.words, false)
		if err != nil {
			t.Fatal(err)
		}
		if p := s.Pages[1]; p.Trimmed != c.trimmed || (p.Words == c.words) != c.trimmed {
			t.Errorf("%d of %d pages share a line beside %d words: trimmed %v, %d words", c.sharing, c.pages, c.words,
				p.Trimmed, p.Words)
		}
		if more := len(s.Terms[1]) > len([]string{"bed", "fern1"}); more == c.trimmed {
			t.Errorf("%+v: page 1 is about %q", c, s.Terms[1])
		}
		if s.Terms[0] != nil {
			t.Errorf("%+v: a page that may not be shown is about %q", c, s.Terms[0])
		}
	}
	if _, err := beds(t, 5, 5, 20, true); !errors.Is(err, errGone) {
		t.Errorf("a text that is gone: %v", err)
	}
}

// TestEmptyText: the text of a page without words is not asked for.
func TestEmptyText(t *testing.T) {
	s := site(1)
	s.Add(0, answer(&page.Document{}), -1, -1, nil)
	s.Source = texts{} // which has none
	if err := s.Finish(); err != nil || s.Terms[0] != nil {
		t.Errorf("%q (%v)", s.Terms[0], err)
	}
}

// TestLoadingsOf: what a page asks for without showing it is no loading, and of stylesheets that import one another ten
// steps are followed.
func TestLoadingsOf(t *testing.T) {
	s := site(16)
	s.Add(0, answer(&page.Document{}), -1, -1, nil)
	s.Add(1, answer(&page.Document{}), -1, -1, nil)
	if err := s.Finish(); err != nil {
		t.Fatal(err)
	}
	const picture = 15
	s.Uses.Add(0, []int32{picture}, []graph.Mark{graph.Unshown})
	s.Uses.Add(1, []int32{2, picture}, []graph.Mark{0, 0})
	for i := int32(2); i < 14; i++ { // each imports the next, and the last two load the picture
		s.Addresses[i].Role = page.AsStyle
		to := []int32{i + 1}
		if i >= 12 {
			to = append(to, picture)
		}
		s.Uses.Add(i, to, make([]graph.Mark, len(to)))
	}
	s.Addresses[14].Role = page.AsStyle
	var got []string
	s.Loadings(func(id int32) bool { return id == picture }, func(l Loading) {
		got = append(got, fmt.Sprint(l.Page, l.Carrier))
	})
	if want := []string{"1 -1"}; !slices.Equal(got, want) {
		t.Errorf("the page's own: %q, want %q", got, want)
	}
	got = nil
	want := make([]bool, len(s.Addresses))
	want[picture] = true
	through := s.brings(2, map[int32][]int32{2: {3}, 3: {4}, 4: {5}, 5: {6}, 6: {7}, 7: {8}, 8: {9}, 9: {10}, 10: {11},
		11: {12}, 12: {13, picture}, 13: {14, picture}}, want)
	for _, l := range through {
		got = append(got, fmt.Sprint(l.Carrier, len(l.Chain)))
	}
	if want := []string{"12 10"}; !slices.Equal(got, want) {
		t.Errorf("through stylesheets: %q, want %q", got, want)
	}
}

// EachRendering implements survey.Source.
func (texts) EachRendering([]int32, func(int32, []rendered.Page)) error { return nil }
