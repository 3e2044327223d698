package store_test

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// forged is a cursor that no list has given.
func forged(value any) string {
	data, _ := json.Marshal(map[string]any{"v": value, "id": 1})
	return base64.RawURLEncoding.EncodeToString(data)
}

// TestForgedCursors puts cursors that no list has given to the database: they are the caller's mistakes.
func TestForgedCursors(t *testing.T) {
	s := testkit.Store(t)
	rec := begun(t, s)
	for _, sort := range append(store.SortNames(), "figure:x") {
		for _, after := range []string{"x", "e30", forged("word"), forged(1e300), forged("\x00"), forged("\u202e"),
			forged([]int{1}), forged(nil), forged(strings.Repeat("9", 400)), forged("NaN")} {
			query := record.PageQuery{Sort: sort, After: after, Limit: 5, Site: rec.SiteID}
			_, err := s.Pages(t.Context(), rec.ID, query)
			if refused := s.Trouble(err) == record.Unfit; err != nil && !refused && !errors.Is(err, store.ErrBadQuery) {
				t.Errorf("sorted by %s after %q: %v", sort, after, err)
			}
		}
	}
}
