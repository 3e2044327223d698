package main

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
)

// season gives the garden a past: crawls of its editions, set back by weeks, and a fortnight of looks at its watched
// addresses, which were made, all of them, now. Nothing happens where it has one.
func season(ctx context.Context, run func(args ...string) error, garden *demo.Seasons, data string) error {
	where, err := os.ReadFile(filepath.Join(data, "database.url"))
	if err != nil {
		return err
	}
	db, err := pgx.Connect(ctx, strings.TrimSpace(string(where)))
	if err != nil {
		return err
	}
	defer db.Close(context.WithoutCancel(ctx))
	crawls := 0
	if err := db.QueryRow(ctx, "select count(*) from crawl c join site s on s.id = c.site_id where s.name = 'fernhollow'").Scan(&crawls); err != nil || crawls > 1 {
		return err
	}
	for range 2 { // the other edition, and back
		fmt.Printf("\nIt is %s in the garden.\n", garden.Turn())
		if err := run("crawl", "fernhollow"); err != nil {
			return err
		}
	}
	if _, err := db.Exec(ctx, `update crawl c set started = c.started - (3 - c.number) * interval '4 weeks',
		finished = c.finished - (3 - c.number) * interval '4 weeks' from site s where s.id = c.site_id and s.name = 'fernhollow' and c.number < 3`); err != nil {
		return fmt.Errorf("setting crawls back: %w", err)
	}
	return fortnight(ctx, db, garden)
}

// A look that the garden answered.
type answered struct {
	at     time.Time
	status int
	took   time.Duration
}

// fortnight looks at what is watched for two weeks, an hour at a step, in one of which the garden cannot answer.
func fortnight(ctx context.Context, db *pgx.Conn, garden *demo.Seasons) error {
	now := time.Now().Truncate(time.Hour)
	outage := now.AddDate(0, 0, -5).Add(3 * time.Hour)
	closed := demo.Struggling(garden, 0)
	for name, path := range map[string]string{"home": "/", "shop": "/shop/"} {
		var looks []answered
		for at := now.AddDate(0, 0, -14); at.Before(now); at = at.Add(15 * time.Minute) {
			var site http.Handler = garden
			if !at.Before(outage) && at.Before(outage.Add(45*time.Minute)) {
				site = closed
			}
			looks = append(looks, ask(site, path, at))
		}
		if err := keep(ctx, db, name, looks); err != nil {
			return fmt.Errorf("keeping looks at %s: %w", name, err)
		}
	}
	return nil
}

// ask asks the garden for a page, without a network.
func ask(site http.Handler, path string, at time.Time) answered {
	r := httptest.NewRequest(http.MethodGet, demo.Home+strings.TrimPrefix(path, "/"), nil)
	w := httptest.NewRecorder()
	begun := time.Now()
	site.ServeHTTP(w, r)
	return answered{at, w.Code, time.Since(begun)}
}

// keep keeps looks, and the outages among them, as the service would have.
func keep(ctx context.Context, db *pgx.Conn, watch string, looks []answered) error {
	var b pgx.Batch
	var down *answered
	const id = "(select w.id from watch w join site s on s.id = w.site_id where s.name = 'fernhollow' and w.name = $1)"
	for i := range looks {
		l := &looks[i]
		bad := l.status >= 400
		ms := int(l.took.Milliseconds()) + 1
		b.Queue("insert into watch_look values ("+id+", $2, $3, $4, false, 1, 0, 0, 1, $5, $5) on conflict do nothing", watch, l.at,
			l.status, bad, ms)
		switch {
		case bad && down == nil:
			down = l
		case !bad && down != nil:
			b.Queue("insert into outage (watch_id, began, ended, reason, planned) values ("+id+", $2, $3, $4, false)", watch, down.at, l.at,
				fmt.Sprintf("status %d", down.status))
			down = nil
		}
	}
	return db.SendBatch(ctx, &b).Close()
}
