package preview_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/gear"
	"harvik/internal/preview"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// garden is a site of pages in a row, of which the sitemap lists some.
type garden struct {
	pages  int
	listed int
	robots string
	shut   bool
}

func (g *garden) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.URL.Path == "/robots.txt":
		fmt.Fprint(w, g.robots)
		return
	case r.URL.Path == "/sitemap.xml" && g.listed > 0:
		fmt.Fprint(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
		for i := range g.listed {
			fmt.Fprintf(w, "<url><loc>http://%s/bed-%d</loc></url>", r.Host, i)
		}
		fmt.Fprint(w, "</urlset>")
		return
	case g.shut || r.URL.Path == "/sitemap.xml":
		w.WriteHeader(http.StatusForbidden)
		return
	}
	w.Header().Set("Content-Type", "text/html")
	n := 0
	fmt.Sscanf(r.URL.Path, "/bed-%d", &n)
	fmt.Fprintf(w, "<!doctype html><title>Bed %d</title>", n)
	for i := n + 1; i < min(g.pages, n+4); i++ {
		fmt.Fprintf(w, `<a href="/bed-%d">next</a>`, i)
	}
}

type noSecrets struct{ gear.Store }

func (noSecrets) SealedSecret(context.Context, int64, string) (record.Sealed, error) {
	return record.Sealed{}, record.ErrNotFound
}

func look(t *testing.T, g *garden, p plan.Plan) *record.Preview {
	t.Helper()
	tools := gear.New(noSecrets{}, nil, testkit.Quiet)
	t.Cleanup(tools.Close)
	site := record.Site{ID: 1, Home: "http://" + testkit.Serve(t, g) + "/", Allowed: []string{"127.0.0.0/8"}}
	out, err := preview.New(tools).Preview(t.Context(), site, p, "rowan")
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func warned(out *record.Preview, words string) bool {
	return strings.Contains(strings.Join(out.Warnings, "\n"), words)
}

// TestSize knows a small site whole, and says of a large one what the sample lets expect, and what does not fit the
// plan.
func TestSize(t *testing.T) {
	out := look(t, &garden{pages: 9}, plan.Plan{Retries: -1})
	if out.Least != 9 || out.Most != 9 || out.Sampled != 9 || out.Basis != "every link was followed" ||
		len(out.Warnings) != 0 {
		t.Errorf("a small site: %+v", out)
	}
	if out.PerSecond <= 0 || out.Shortest <= 0 {
		t.Errorf("its pace: %v a second, %v s", out.PerSecond, out.Shortest)
	}
	out = look(t, &garden{pages: 3000, listed: 2000}, plan.Plan{Retries: -1, Pages: 500})
	if out.Listed != 2000 || out.Least < 2000 || out.Sampled != 40 || !warned(out, "the plan stops at 500 addresses") {
		t.Errorf("a large site: %+v", out)
	}
	if len(out.Sitemaps) != 1 || out.Sitemaps[0].Pages != 2000 || out.Sitemaps[0].Form != "urlset" {
		t.Errorf("its sitemaps: %+v", out.Sitemaps)
	}
}

// TestRobots shows what holds for the plan's agent, and what of it slows the crawl down or shuts it out.
func TestRobots(t *testing.T) {
	out := look(t, &garden{pages: 5, robots: "User-agent: *\nCrawl-delay: 0.2\nDisallow: /bed-4\nnonsense\n"},
		plan.Plan{Retries: -1})
	r := out.Robots
	if r.Status != 200 || len(r.Rules) == 0 || len(r.Notes) != 1 || r.Delay != 0.2 || r.ShutsHome != nil ||
		!warned(out, "robots.txt asks for 200ms") {
		t.Errorf("a robots.txt with a delay: %+v, %q", r, out.Warnings)
	}
	if out.PerSecond > 5 {
		t.Errorf("%v addresses a second, with 0.2 s between them", out.PerSecond)
	}
	out = look(t, &garden{pages: 5, robots: "User-agent: *\nDisallow: /\n"}, plan.Plan{Retries: -1})
	if out.Robots.ShutsHome == nil || out.Robots.ShutsHome.Number != 2 ||
		!warned(out, "robots.txt shuts the home page out") || !warned(out, "could not be fetched") {
		t.Errorf("a robots.txt that shuts everything out: %+v, %q", out.Robots, out.Warnings)
	}
}

// TestNoPage says that there is no page to begin with, and passes on what keeps a look from beginning.
func TestNoPage(t *testing.T) {
	if out := look(t, &garden{shut: true}, plan.Plan{Retries: -1}); !warned(out,
		"does not answer as a page (status 403)") {
		t.Errorf("a home page that is refused: %q", out.Warnings)
	}
	p := preview.New(gear.New(noSecrets{}, nil, testkit.Quiet))
	site := record.Site{ID: 1, Home: "http://fernhollow.example/"}
	var refusal *record.Refusal
	needs := plan.Plan{Gates: []plan.Gate{{Kind: "basic", User: "ash", Secret: "door"}}}
	if _, err := p.Preview(t.Context(), site, needs, "rowan"); !errors.As(err, &refusal) ||
		!strings.Contains(refusal.Reason, "door") {
		t.Errorf("without its secret: %v", err)
	}
	if _, err := p.Preview(t.Context(), site, plan.Plan{CA: "x"}, "rowan"); !errors.As(err, &refusal) {
		t.Errorf("an authority that is none: %v", err)
	}
}
