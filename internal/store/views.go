package store

import (
	"context"
	"encoding/json"

	"harvik/internal/core/query"
	"harvik/internal/record"
)

// viewBody is what of a view is kept beside its name.
type viewBody struct {
	Say      string   `json:"say"`
	Of       string   `json:"of"`
	Question string   `json:"question"`
	Columns  []string `json:"columns,omitempty"`
	Order    string   `json:"order,omitempty"`
	By       string   `json:"by,omitempty"`
	Measure  string   `json:"measure,omitempty"`
}

// Views are those that were kept, for all sites and for one, by name; "" for all sites' only.
func (s *Store) Views(ctx context.Context, site string) ([]record.KeptView, error) {
	rows := []struct {
		Name, Site string
		Body       []byte
	}{}
	err := s.db.SelectContext(ctx, &rows, `select v.name, coalesce(s.name, '') as site, v.body from view v
		left join site s on s.id = v.site_id where v.site_id is null or s.name = $1 order by v.name, v.site_id nulls first`,
		site)
	if err != nil {
		return nil, err
	}
	out := make([]record.KeptView, len(rows))
	for i, r := range rows {
		var b viewBody
		if err := json.Unmarshal(r.Body, &b); err != nil {
			return nil, err
		}
		view := query.View{Name: r.Name, Say: b.Say, Of: b.Of, Question: b.Question, Columns: b.Columns, Order: b.Order,
			By: b.By, Measure: b.Measure}
		out[i] = record.KeptView{Site: r.Site, View: view}
	}
	return out, nil
}

// KeepView keeps a view in place of the one of its name, for a site or for all; record.ErrNotFound where there is no
// such site.
func (s *Store) KeepView(ctx context.Context, site string, v query.View) error {
	body, err := json.Marshal(viewBody{v.Say, v.Of, v.Question, v.Columns, v.Order, v.By, v.Measure})
	if err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `insert into view (site_id, name, body)
		select s.id, $2, cast($3 as jsonb) from (select id from site where name = $1 union all select null where $1 = '') s
		on conflict (coalesce(site_id, 0), name) do update set body = excluded.body`, site, clean(v.Name), clean(string(body)))
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return record.ErrNotFound
	}
	return nil
}

// RemoveView forgets a view of a site, or of all; record.ErrNotFound where there is none.
func (s *Store) RemoveView(ctx context.Context, site, name string) error {
	r, err := s.db.ExecContext(ctx, `delete from view where name = $2 and
		site_id is not distinct from (select id from site where name = $1) and ($1 = '' or site_id is not null)`, site, name)
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return record.ErrNotFound
	}
	return nil
}
