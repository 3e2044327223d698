package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/fixlist"
	"harvik/internal/record"
)

// Layouts are those of a crawl, the largest first.
func (s *Store) Layouts(ctx context.Context, crawlID int64) ([]record.LayoutRow, error) {
	rows := []record.LayoutRow{}
	err := s.db.SelectContext(ctx, &rows, `select st.layout, count(*) as pages, min(a.url) as example,
		coalesce(avg(st.health) filter (where st.health >= 0), -1) as health, sum(st.errors) as errors
		from standing st join address a on a.crawl_id = st.crawl_id and a.id = st.page_id
		where st.crawl_id = $1 and st.layout >= 0 group by st.layout order by pages desc, example`, crawlID)
	return rows, err
}

// PageLayouts are the layouts of a crawl's pages by their numbers; −1 is of a page that is like no other.
func (s *Store) PageLayouts(ctx context.Context, crawlID int64) (map[int32]int32, error) {
	rows, err := s.pool.Query(ctx, "select page_id, layout from standing where crawl_id = $1", crawlID)
	if err != nil {
		return nil, err
	}
	out := map[int32]int32{}
	var page, layout int32
	_, err = pgx.ForEachRow(rows, []any{&page, &layout}, func() error {
		out[page] = layout
		return nil
	})
	return out, err
}

// Map is where a crawl's sore spots are; record.ErrNotFound where it was judged before maps were made.
func (s *Store) Map(ctx context.Context, crawlID int64) (*fixlist.Map, error) {
	var body []byte
	if err := s.db.GetContext(ctx, &body, "select map from crawl where id = $1 and map is not null",
		crawlID); err != nil {
		return nil, found(err)
	}
	m := new(fixlist.Map)
	return m, decode(body, m)
}
