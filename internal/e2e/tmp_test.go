package e2e
import ("testing";"time";"fmt";"harvik/internal/testkit";"harvik/internal/crawl";"harvik/internal/core/plan";"harvik/internal/core/weburl";"harvik/internal/core/check";"harvik/internal/core/checks";"context";"net/http")
type tsink struct{crawl.Sink; d time.Duration}
func (s *tsink) Save(ctx context.Context,b crawl.Batch) error { t:=time.Now(); e:=s.Sink.Save(ctx,b); s.d+=time.Since(t); return e}
type nosink struct{}
func (nosink) Save(ctx context.Context,b crawl.Batch) error {return nil}
func TestTmp(t *testing.T){
	g := &testkit.Generated{Pages: benchPages, Seed: 11, Keep: true}
	for n := range g.Pages { g.ServeHTTP(discard{}, &http.Request{URL: parsePath(t, n)}) }
	host := testkit.Serve(t, g)
  for i:=0;i<4;i++ {
	s := testkit.Store(t)
	s.AddSite(t.Context(), "bench", "http://"+host+"/", plan.Plan{})
	site,_ := s.Site(t.Context(), "bench")
	p := plan.Plan{Pages: benchPages + 10, Parallel: benchParallel}.WithDefaults()
	rec,_ := s.StartCrawl(t.Context(), site, p, 1)
	u,_ := weburl.Parse(site.Home)
	var c *crawl.Crawl
	var sink crawl.Sink = &tsink{Sink:s.Sink(rec.ID)}
	if i%2==1 {sink=nosink{}}
	c = crawl.New(crawl.Config{ Plan: p, Start: u, Guard: testkit.Loopback, Log: testkit.Quiet,
		Runner: &check.Runner{Checks: checks.Catalog, Limits: check.NewLimits(nil)},
		Sink: sink, Source: s.Source(t.Context(), rec.ID, func(id int32) string { return c.URL(id) }) })
	b:=time.Now()
	r,err := c.Run(t.Context()); if err!=nil {t.Fatal(err)}
	d1:=time.Since(b); b=time.Now()
	if i%2==0 { s.Sink(rec.ID).SaveResult(t.Context(), r, c.Progress()); fmt.Println("run",d1,"save", sink.(*tsink).d, "result",time.Since(b)) } else {fmt.Println("nosink run",d1)}
  }
}
