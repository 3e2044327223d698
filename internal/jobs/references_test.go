package jobs

import (
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
	"harvik/internal/vault"
)

// TestReferences: rows of a crawl that name others by number name such as there are. They stand in tables that have
// parts by crawl, which go by being dropped, so the database does not hold them to it.
func TestReferences(t *testing.T) {
	address := testkit.Tables(t)
	s := testkit.Open(t, address)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	b := &beside{over(t, s, v, Disk{}), t, s, v,
		testkit.Site(t, s, &testkit.Generated{Pages: 80, Seed: 6}, plan.Plan{})}
	b.crawl("finished")
	b.crawl("finished")
	conn, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	for name, query := range map[string]string{
		"pages of addresses": `select count(*), count(*) filter (where a.id is null) from page p
			left join address a on a.crawl_id = p.crawl_id and a.id = p.id`,
		"addresses found on pages": `select count(*), count(*) filter (where p.id is null) from address a
			left join page p on p.crawl_id = a.crawl_id and p.id = a.found_on where a.found_on >= 0`,
		"findings on addresses": `select count(*), count(*) filter (where a.id is null) from failing f
			left join address a on a.crawl_id = f.crawl_id and a.id = f.page_id where f.page_id >= 0`,
		"standings of pages": `select count(*), count(*) filter (where p.id is null) from standing n
			left join page p on p.crawl_id = n.crawl_id and p.id = n.page_id`,
		"pages of fixes": `select count(*), count(*) filter (where a.id is null) from fix f cross join unnest(f.pages) as x(page)
			left join address a on a.crawl_id = f.crawl_id and a.id = x.page where x.page >= 0`,
		"documents of pages": `select count(*), count(*) filter (where p.id is null) from document d
			left join page p on p.crawl_id = d.crawl_id and p.id = d.id`,
		"entries of fixes": `select count(*), count(*) filter (where f.id is null) from fix_entry e
			left join fix f on f.crawl_id = e.crawl_id and f.id = e.fix_id`,
		"crawls of their rows": `select count(*), count(*) filter (where c.id is null) from
			(select crawl_id from address union select crawl_id from page union select crawl_id from failing union select crawl_id from evidence union select crawl_id from document union
			select crawl_id from standing union select crawl_id from fix union select crawl_id from fix_entry) r
			left join crawl c on c.id = r.crawl_id`,
	} {
		var all, lost int
		if err := conn.QueryRow(t.Context(), query).Scan(&all, &lost); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if lost > 0 || all == 0 && name != "entries of fixes" {
			t.Errorf("%s: %d of %d name what is not there", name, lost, all)
		}
	}
}
