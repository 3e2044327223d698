package look_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/gear"
	"harvik/internal/look"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

type sites []record.Site

func (s sites) Sites(context.Context) ([]record.Site, error) { return s, nil }

func looks(t *testing.T, s sites) *look.Looks {
	t.Helper()
	g := gear.New(nil, nil, testkit.Quiet)
	t.Cleanup(g.Close)
	return look.New(s, testkit.Catalogue, g)
}

// TestHTML judges the HTML that is given, without asking anybody, what failed first.
func TestHTML(t *testing.T) {
	html := `<!doctype html><html lang=en><meta name=description content="` +
		strings.Repeat("A long description of the fern house. ", 12) +
		`"><h1>Ferns</h1><p>Green all year.</p><a href="/moss/" rel=nofollow>moss</a><img src=fern.jpg>`
	out, err := looks(t, nil).Look(t.Context(),
		record.LookRequest{Address: "https://fernhollow.example/ferns/", HTML: html})
	if err != nil {
		t.Fatal(err)
	}
	failed, order := map[string]bool{}, 0
	for _, v := range out.Verdicts {
		rank := map[string]int{check.Failed: int(v.Severity), check.Passed: 10, check.NotJudged: 20}[v.State]
		if rank < order {
			t.Errorf("%s, which is %s, comes too late", v.Check, v.State)
		}
		order = rank
		failed[v.Check] = v.State == check.Failed
	}
	if !failed["title-missing"] || failed["h1-missing"] || len(out.Verdicts) < 50 {
		t.Errorf("%d verdicts: %v", len(out.Verdicts), failed)
	}
	if !out.Indexable || len(out.Links) != 1 || out.Links[0].To != "https://fernhollow.example/moss/" ||
		!out.Links[0].NoFollow || len(out.Loads) != 1 {
		t.Errorf("it links to %+v and loads %+v", out.Links, out.Loads)
	}
	if !out.Desktop.AboutCut || out.Desktop.Address != "fernhollow.example › ferns" || out.Desktop.TitleCut {
		t.Errorf("the entry in a list of results: %+v", out.Desktop)
	}
	one, err := looks(t, nil).Look(t.Context(), record.LookRequest{HTML: html, Check: "title-missing"})
	if err != nil || len(one.Verdicts) != 1 || len(one.Verdicts[0].Steps) == 0 {
		t.Errorf("by one check: %+v (%v)", one, err)
	}
}

// TestFetch follows redirects, reaches private addresses for the sites that may be there alone, and says why there is
// no page.
func TestFetch(t *testing.T) {
	h := http.NewServeMux()
	h.Handle("/old", http.RedirectHandler("/new", http.StatusMovedPermanently))
	h.HandleFunc("/new", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!doctype html><title>The new fern house</title><h1>Ferns</h1>")
	})
	h.HandleFunc("/robots.txt", func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprint(w,
			"User-agent: *\nDisallow: /shut\n")
	})
	home := "http://" + testkit.Serve(t, h) + "/"
	l := looks(t, sites{{Name: "elsewhere", Home: "http://fernhollow.example/"},
		{Name: "garden", Home: home, Allowed: []string{"127.0.0.0/8"}}})
	out, err := l.Look(t.Context(), record.LookRequest{Address: home + "old"})
	if err != nil || len(out.Hops) != 1 || out.Hops[0] != home+"new" ||
		out.Facts.Document.Title() != "The new fern house" {
		t.Errorf("a redirect: %+v (%v)", out, err)
	}
	if out, err = l.Look(t.Context(), record.LookRequest{Address: home + "shut"}); err != nil || out.Facts != nil ||
		!strings.Contains(out.Detail, "Line 2 of robots.txt") {
		t.Errorf("a page that robots.txt shuts out: %+v (%v)", out, err)
	}
	out, err = looks(t, nil).Look(t.Context(), record.LookRequest{Address: home})
	if err != nil || out.Facts != nil && out.Facts.Outcome != page.Forbidden {
		t.Errorf("a private address that no site may be at: %+v (%v)", out, err)
	}
}

// TestMistakes says what is wrong with a request.
func TestMistakes(t *testing.T) {
	for want, in := range map[string]record.LookRequest{
		"is no web address": {Address: "ftp://fernhollow.example/"},
		"there is no check": {Address: "http://fernhollow.example/", Check: "title-misplaced"},
	} {
		var mistake *record.Mistake
		if _, err := looks(t, nil).Look(t.Context(), in); !errors.As(err, &mistake) ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v", in, err)
		}
	}
}
