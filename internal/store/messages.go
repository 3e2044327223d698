package store

import (
	"context"
	"crypto/rand"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// wayRow is a way with its column of JSON.
type wayRow struct {
	ID      int64
	Name    string
	Body    kept[record.Way]
	Sealed  []byte
	Token   []byte
	Waiting int
	Last    *time.Time
	Failed  int
	Error   string
}

// Ways are all, by name, with how each is doing.
func (s *Store) Ways(ctx context.Context) ([]record.Way, error) {
	var rows []wayRow
	err := s.db.SelectContext(ctx, &rows, `select w.id, w.name, w.body, w.sealed, w.token,
		(select count(*) from telling t where t.way_id = w.id and t.message_id is null) as waiting,
		(select max(sent) from message m where m.way_id = w.id) as last,
		(select count(*) from message m where m.way_id = w.id and m.sent is null and m.error <> '') as failed,
		coalesce((select error from message m where m.way_id = w.id and m.sent is null and m.error <> '' order by id desc limit 1), '') as error
		from way w order by w.name`)
	out := make([]record.Way, len(rows))
	for i, r := range rows {
		out[i] = r.Body.value
		out[i].ID, out[i].Name, out[i].Sealed, out[i].Print = r.ID, r.Name, r.Sealed, r.Token
		out[i].Waiting, out[i].Last, out[i].Failed, out[i].Error = r.Waiting, r.Last, r.Failed, r.Error
	}
	return out, err
}

// PutWay keeps a way, in place of what had its name. Its secret and the print of its token stay where none is given.
func (s *Store) PutWay(ctx context.Context, w record.Way) error {
	kept := w
	kept.ID, kept.Sealed, kept.Print, kept.Waiting, kept.Last, kept.Failed, kept.Error = 0, nil, nil, 0, nil, 0, ""
	body, err := encode(kept)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `insert into way (name, body, sealed, token) values ($1, cast($2 as jsonb), $3, $4)
		on conflict (name) do update set body = excluded.body, sealed = coalesce(excluded.sealed, way.sealed),
			token = coalesce(excluded.token, way.token)`, w.Name, string(body), w.Sealed, w.Print)
	return err
}

// RemoveWay forgets a way, with what was sent by it; record.ErrNotFound where there is none.
func (s *Store) RemoveWay(ctx context.Context, name string) error {
	return s.drop(ctx, "delete from way where name = $1", name)
}

// PostLetter leaves a letter of a way to the queue, and sets when the next is due; nothing happens where another
// process has done that.
func (s *Store) PostLetter(ctx context.Context, w record.Way, next *time.Time, body record.MessageBody) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		// To the second: what is written as JSON and read again is to be the same.
		tag, err := tx.Exec(
			ctx,
			`update way set body = jsonb_set(body, '{Next}', coalesce(to_jsonb(date_trunc('second', $3::timestamptz)), 'null'))
			where id = $1 and date_trunc('second', (body ->> 'Next')::timestamptz) = date_trunc('second', $2::timestamptz)`,
			w.ID,
			w.Next,
			next,
		)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		_, err = s.post(ctx, tx, w.ID, body)
		return err
	})
}

// Tellings are what waits to be told by a way, the oldest first.
func (s *Store) Tellings(ctx context.Context, way int64) ([]record.Telling, error) {
	out := []record.Telling{}
	err := s.db.SelectContext(ctx, &out, `select t.alert_id as alert, t.over, t.created,
		coalesce((a.body ->> 'Urgent')::boolean, false) as urgent from telling t join alert a on a.id = t.alert_id
		where t.way_id = $1 and t.message_id is null order by t.created, t.alert_id, t.over`, way)
	return out, err
}

// Decide makes a message of what waits to be told by a way, and leaves it to the queue. What is told by another
// meanwhile is left out; where that is all, there is no message. Say words it.
func (s *Store) Decide(ctx context.Context, way int64, of []record.Telling,
	say func(began, over []record.Alert) (record.MessageBody, error)) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "select 1 from way where id = $1 for update", way); err != nil {
			return err
		}
		alerts, overs := make([]int64, len(of)), make([]bool, len(of))
		for i, t := range of {
			alerts[i], overs[i] = t.Alert, t.Over
		}
		rows, err := tx.Query(ctx, `select t.over, a.id, s.name, a.rule, a.what, a.subject, a.began, a.ended, a.body, a.over
			from unnest($2::bigint[], $3::boolean[]) with ordinality w (alert, over, place)
			join telling t on t.alert_id = w.alert and t.over = w.over and t.way_id = $1 and t.message_id is null
			join alert a on a.id = t.alert_id join site s on s.id = a.site_id order by w.place`, way, alerts, overs)
		if err != nil {
			return err
		}
		var sides [2][]record.Alert // that began, and that are over
		var row alertRow
		var over bool
		into := []any{&over, &row.ID, &row.Site, &row.Rule, &row.What, &row.Subject, &row.Began, &row.Ended, &row.Body,
			&row.Over}
		if _, err := pgx.ForEachRow(rows, into, func() error {
			side := 0
			if over {
				side = 1
			}
			sides[side] = append(sides[side], alertsOf([]alertRow{row})...)
			row = alertRow{}
			return nil
		}); err != nil {
			return err
		}
		if len(sides[0])+len(sides[1]) == 0 {
			return nil
		}
		body, err := say(sides[0], sides[1])
		if err != nil {
			return err
		}
		id, err := s.post(ctx, tx, way, body)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update telling t set message_id = $4 from unnest($2::bigint[], $3::boolean[]) w (alert, over)
			where t.alert_id = w.alert and t.over = w.over and t.way_id = $1 and t.message_id is null`, way, alerts, overs, id)
		return err
	})
}

// post leaves a message to the queue.
func (s *Store) post(ctx context.Context, tx pgx.Tx, way int64, body record.MessageBody) (id int64, err error) {
	data, err := encode(body)
	if err != nil {
		return 0, err
	}
	key := rand.Text()
	if err := tx.QueryRow(ctx, "insert into message (way_id, key, body) values ($1, $2, cast($3 as jsonb)) returning id", way, key,
		string(data)).Scan(&id); err != nil {
		return 0, err
	}
	return id, s.leave(ctx, tx, record.Todo{What: record.ToSend, Number: int(id), Cause: "message " + key})
}

// Post leaves a message to the queue, and tells its number.
func (s *Store) Post(ctx context.Context, way int64, body record.MessageBody) (id int64, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) (err error) { id, err = s.post(ctx, tx, way, body); return err })
	return id, err
}

// messageRow is a message with its column of JSON.
type messageRow struct {
	record.Message
	Body kept[record.MessageBody]
}

func (r *messageRow) message() record.Message {
	r.Message.Body = r.Body.value
	return r.Message
}

const messageColumns = "select id, way_id as way, key, body, created, sent, tries, error from message "

// Message is one of a number; record.ErrNotFound where there is none.
func (s *Store) Message(ctx context.Context, id int64) (record.Message, error) {
	var row messageRow
	err := s.db.GetContext(ctx, &row, messageColumns+"where id = $1", id)
	return row.message(), found(err)
}

// Messages are the newest of a way, at most so many.
func (s *Store) Messages(ctx context.Context, way int64, most int) ([]record.Message, error) {
	var rows []messageRow
	err := s.db.SelectContext(ctx, &rows, messageColumns+"where way_id = $1 order by id desc limit $2", way, most)
	out := make([]record.Message, len(rows))
	for i := range rows {
		out[i] = rows[i].message()
	}
	return out, err
}

// Sent notes that a message was sent, or why it was not.
func (s *Store) Sent(ctx context.Context, id int64, try int, failed string) error {
	_, err := s.pool.Exec(
		ctx,
		`update message set tries = $2, error = $3, sent = case when $3 = '' then now() else sent end where id = $1`,
		id,
		try,
		clean(failed),
	)
	return err
}

// WayOf is the way of a feed's token, by its print; record.ErrNotFound where there is none.
func (s *Store) WayOf(ctx context.Context, print []byte) (record.Way, error) {
	var row wayRow
	err := s.db.GetContext(ctx, &row, "select id, name, body from way where token = $1", print)
	out := row.Body.value
	out.ID, out.Name = row.ID, row.Name
	return out, found(err)
}

// ToldBy are the newest alerts that a way is told of, at most so many.
func (s *Store) ToldBy(ctx context.Context, way int64, most int) ([]record.Alert, error) {
	var rows []alertRow
	err := s.db.SelectContext(ctx, &rows, alertColumns+`where a.id in (select alert_id from telling where way_id = $1)
		order by a.id desc limit $2`, way, most)
	return alertsOf(rows), err
}

// messagesKept is how long messages and alerts that are over stay.
const messagesKept = 400 * 24 * time.Hour

// ForgetMessages lets old messages and alerts go.
func (s *Store) ForgetMessages(ctx context.Context, now time.Time) error {
	_, err := s.pool.Exec(ctx, "delete from message where created < $1", now.Add(-messagesKept))
	if err == nil {
		_, err = s.pool.Exec(
			ctx,
			"delete from alert where began < $1 and (not lasts or ended is not null)",
			now.Add(-messagesKept),
		)
	}
	return err
}
