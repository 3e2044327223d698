package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/check"
	"harvik/internal/record"
)

// A failed is a row of what fails on a page, with what lists say of the page.
type failed struct {
	Page    int32
	Address string
	Title   string
	Health  float64
	Checks  []int16
	Places  []byte
}

// failedColumns and findingColumns are those of a failed and of a findingRow, of tables n, a, p and st.
const (
	pageColumns = `select n.page_id as page, coalesce(a.url, '') as address, coalesce(p.title, '') as title,
	coalesce(st.health, -1) as health, `
	failedColumns  = "n.checks, n.places from "
	findingColumns = `n.check_id as "check", n.severity, n.count, n.places from `
)

const failedJoins = ` left join address a on a.crawl_id = n.crawl_id and a.id = n.page_id
	left join page p on p.crawl_id = n.crawl_id and p.id = n.page_id
	left join standing st on st.crawl_id = n.crawl_id and st.page_id = n.page_id`

// A failingReader unpacks what fails on the pages of a crawl. It is for one goroutine.
type failingReader struct {
	store  *Store
	in     pgx.Tx
	crawl  int64
	names  map[int16]string
	blocks map[uint32][]check.Place
	held   int  // bytes of the blocks' texts
	bare   bool // what places say is not wanted
}

// mostHeld bounds the texts of places that are held while many pages are read.
const mostHeld = 64 << 20

// A listedPlace is a place whose text is a number.
type listedPlace struct {
	text      uint32
	line, col int
}

// A listed is a finding whose places' texts are numbers.
type listed struct {
	row      *failed
	check    int16
	severity int
	more     int
	places   []listedPlace
}

// read unpacks rows, of all checks where none is named.
func (r *failingReader) read(ctx context.Context, rows []failed, only ...string) ([]record.PageFinding, error) {
	var all []listed
	var numbers []int16
	wanted := map[uint32]bool{}
	for i := range rows {
		one, err := list(&rows[i])
		if err != nil {
			return nil, err
		}
		for _, l := range one {
			numbers = append(numbers, l.check)
		}
		all = append(all, one...)
	}
	var err error
	if r.names, err = r.store.checkNumbers.names(ctx, r.in, numbers); err != nil {
		return nil, err
	}
	if len(only) > 0 {
		all = slices.DeleteFunc(all, func(l listed) bool { return !slices.Contains(only, r.names[l.check]) })
	}
	if r.held > mostHeld {
		clear(r.blocks)
		r.held = 0
	}
	for _, l := range all {
		if r.bare {
			break
		}
		for _, p := range l.places {
			if n := p.text / blockTexts; r.blocks[n] == nil {
				wanted[n] = true
			}
		}
	}
	if err := r.load(ctx, wanted); err != nil {
		return nil, err
	}
	out := make([]record.PageFinding, len(all))
	for i := range all {
		if out[i], err = r.finding(&all[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// list takes a row apart.
func list(row *failed) ([]listed, error) {
	u := unpacker{data: row.Places}
	var out []listed
	for _, n := range row.Checks {
		l := listed{row: row, check: n, severity: u.number(), more: u.number()}
		places := u.number()
		if places > len(u.data) {
			return nil, errDamaged
		}
		for range places {
			l.places = append(l.places, listedPlace{uint32(u.number()), u.number(), u.number()})
		}
		out = append(out, l)
	}
	if u.bad || len(u.data) > 0 {
		return nil, errDamaged
	}
	return out, nil
}

// load reads blocks.
func (r *failingReader) load(ctx context.Context, wanted map[uint32]bool) error {
	if len(wanted) == 0 {
		return nil
	}
	var numbers []int32
	for n := range wanted {
		numbers = append(numbers, int32(n))
	}
	rows, err := r.in.Query(
		ctx,
		"select block, texts from evidence where crawl_id = $1 and block = any($2)",
		r.crawl,
		numbers,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var number int32
		var packed []byte
		if err := rows.Scan(&number, &packed); err != nil {
			return err
		}
		plain, err := decodeBlock(nil, packed)
		if err != nil {
			return err
		}
		r.held += len(plain)
		places := []check.Place{}
		for u := (unpacker{data: plain}); len(u.data) > 0; {
			said := u.bytes()
			if u.bad {
				return errDamaged
			}
			var p check.Place
			if err := decode(said, &p); err != nil {
				return err
			}
			places = append(places, p)
		}
		r.blocks[uint32(number)] = places
	}
	return rows.Err()
}

// finding puts a finding together.
func (r *failingReader) finding(l *listed) (record.PageFinding, error) {
	f := record.PageFinding{
		Page: l.row.Page, Address: l.row.Address, Title: l.row.Title, Health: l.row.Health, Check: r.names[l.check],
		Count: len(l.places) + l.more, Places: make([]check.Place, len(l.places)),
	}
	if l.severity < unknownSeverity {
		severity := check.Severity(l.severity)
		f.Severity = &severity
	}
	for i, p := range l.places {
		if r.bare {
			f.Places[i].Line, f.Places[i].Col = p.line, p.col
			continue
		}
		block := r.blocks[p.text/blockTexts]
		if at := int(p.text % blockTexts); at < len(block) {
			f.Places[i] = block[at]
			f.Places[i].Line, f.Places[i].Col = p.line, p.col
			continue
		}
		return f, fmt.Errorf("%w: there is no evidence %d", errDamaged, p.text)
	}
	return f, nil
}

// keepsRows tells a crawl that an earlier Harvik judged.
func (s *Store) keepsRows(ctx context.Context, crawlID int64) (bool, error) {
	has, err := hasPart(ctx, s.pool, "failing", crawlID)
	return !has, err
}

// A selection says which findings of a crawl are wanted: those of some checks, all where none is named, and where they
// stand in tables n, a, p and st. The arguments begin at $3.
type selection struct {
	checks []string
	where  string // "and …"
	order  string // of pages
	limit  int    // of rows, 0 for none
	alone  bool   // nothing is wanted of the pages but their numbers
	bare   bool   // what places say is not wanted
	args   []any
}

// failingBatch is how many rows are unpacked at once.
const failingBatch = 500

// eachFailing goes over the findings of pages in an order, those of each page in order of their checks.
func (s *Store) eachFailing(
	ctx context.Context,
	crawlID int64,
	w selection,
	f func(*record.PageFinding) error,
) error {
	rowwise, err := s.keepsRows(ctx, crawlID)
	if err != nil {
		return err
	}
	args := append([]any{crawlID, nonNil(w.checks)}, w.args...)
	limit := ""
	if w.limit > 0 {
		limit = fmt.Sprintf(" limit %d", w.limit)
	}
	columns, joins := pageColumns, failedJoins
	if w.alone {
		columns, joins = "select n.page_id as page, '' as address, '' as title, 0::float8 as health, ", ""
	}
	if rowwise {
		return each(ctx, s, func(r *findingRow) error {
			one := r.finding()
			return f(&one)
		}, columns+findingColumns+"finding n"+joins+
			" where n.crawl_id = $1 and (cardinality($2::text[]) = 0 or n.check_id = any($2)) "+w.where+" order by "+w.order+", n.check_id"+limit, args...)
	}
	// By a cursor, since what the places say is asked for in between: who held a connection and waited for another
	// could wait for those who do the same.
	tx, err := s.pool.BeginTx(ctx, pgx.TxOptions{AccessMode: pgx.ReadOnly})
	if err != nil {
		return err
	}
	defer tx.Rollback(context.WithoutCancel(ctx))
	if _, err := tx.Exec(ctx, "set local cursor_tuple_fraction = 1"); err != nil { // all are wanted, not the first soon
		return err
	}
	if _, err := tx.Exec(ctx, "declare failing_rows no scroll cursor for "+columns+failedColumns+"failing n"+joins+` where n.crawl_id = $1
		and (cardinality($2::text[]) = 0 or n.checks && array(select number from check_number where id = any($2))) `+
		w.where+" order by "+w.order+limit, args...); err != nil {
		return err
	}
	r := failingReader{store: s, in: tx, crawl: crawlID, blocks: map[uint32][]check.Place{}, bare: w.bare}
	var kept []failed // the rows of the last page, of which there may be more
	for more := true; more; {
		rows, err := tx.Query(ctx, fmt.Sprintf("fetch %d from failing_rows", failingBatch))
		if err != nil {
			return err
		}
		batch, err := pgx.AppendRows(kept, rows, pgx.RowToStructByName[failed])
		if err != nil {
			return err
		}
		more = len(batch)-len(kept) == failingBatch
		cut := len(batch)
		for more && cut > 0 && batch[cut-1].Page == batch[len(batch)-1].Page {
			cut--
		}
		kept = slices.Clone(batch[cut:])
		if err := r.pass(ctx, batch[:cut], w.checks, f); err != nil {
			return err
		}
	}
	return nil
}

// pass hands on the findings of rows, those of each page in order of their checks.
func (r *failingReader) pass(
	ctx context.Context,
	rows []failed,
	checks []string,
	f func(*record.PageFinding) error,
) error {
	found, err := r.read(ctx, rows, checks...)
	if err != nil {
		return err
	}
	for i := 0; i < len(found); {
		n := i + 1
		for n < len(found) && found[n].Page == found[i].Page {
			n++
		}
		slices.SortStableFunc(found[i:n],
			func(a, b record.PageFinding) int { return strings.Compare(a.Check, b.Check) })
		for ; i < n; i++ {
			if err := f(&found[i]); err != nil {
				return err
			}
		}
	}
	return nil
}
