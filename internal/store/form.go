package store

import (
	stdjson "encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/jackc/pgx/v5/pgtype"

	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// What the core computes is kept as JSON by the names of its fields, zero ones left out. The core knows nothing of it:
// a field that is renamed is lost to older crawls, which is why the test of versions holds the names. Up to 0.5 the
// names began small, so they are read whatever their case.
var form = json.JoinOptions(
	json.OmitZeroStructFields(true), json.MatchCaseInsensitiveNames(true), jsontext.AllowInvalidUTF8(true),
	json.Deterministic(true),
	json.WithUnmarshalers(json.UnmarshalFromFunc(wideNumber)),
)

func encode(v any) ([]byte, error) { return json.Marshal(v, form) }

func decode(data []byte, into any) error { return json.Unmarshal(data, into, form) }

// wideNumber reads numbers of 64 bits also as texts, as which they were kept up to 0.5.
func wideNumber(d *jsontext.Decoder, into *uint64) error {
	token, err := d.ReadToken()
	if err == nil {
		*into, err = strconv.ParseUint(token.String(), 10, 64)
	}
	return err
}

// encodeFix leaves the numbers of pages out, which stand in columns of their own.
func encodeFix(f fixlist.Fix) ([]byte, error) {
	f.Members = nil
	if len(f.Entries) > 0 {
		entries := make([]fixlist.Entry, len(f.Entries))
		for i, e := range f.Entries {
			e.Members = nil
			entries[i] = e
		}
		f.Entries = entries
	}
	return encode(f)
}

// encodePlan writes a plan as its own text has it.
func encodePlan(p plan.Plan) ([]byte, error) { return stdjson.Marshal(p) }

// kept is a column that holds a value as JSON; null leaves it as it is.
type kept[T any] struct{ value T }

// Scan reads the column.
func (k *kept[T]) Scan(src any) error {
	switch v := src.(type) {
	case nil:
		return nil
	case []byte:
		return decode(v, &k.value)
	case string:
		return decode([]byte(v), &k.value)
	}
	return fmt.Errorf("a column of JSON holds %T", src)
}

// texts is a column of texts.
type texts []string

// Scan reads PostgreSQL's form of an array: {a,"b c"}, or the one of bytes that pgx itself asks for.
func (l *texts) Scan(src any) error {
	arrays, _ := arrayMaps.Get().(*pgtype.Map)
	defer arrayMaps.Put(arrays)
	var words []string
	var err error
	if data, ok := src.([]byte); ok && len(data) > 0 && data[0] != '{' {
		err = arrays.Scan(pgtype.TextArrayOID, pgtype.BinaryFormatCode, data, &words)
	} else {
		err = arrays.SQLScanner(&words).Scan(src)
	}
	*l = words
	return err
}

// arrayMaps are for one goroutine each.
var arrayMaps = sync.Pool{New: func() any { return pgtype.NewMap() }}

// snake is the name of the column that a field is read from: FirstByte → first_byte.
func snake(field string) string {
	var b strings.Builder
	runes := []rune(field)
	for i, r := range runes {
		if unicode.IsUpper(r) && i > 0 &&
			(!unicode.IsUpper(runes[i-1]) || i+1 < len(runes) && unicode.IsLower(runes[i+1])) {
			b.WriteByte('_')
		}
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}

// siteRow is a site with its columns of JSON.
type siteRow struct {
	record.Site
	Plan    kept[plan.Plan]
	Allowed kept[[]string]
	Groups  kept[[]string]

	KeepCrawls  int
	KeepMonthly bool
}

func (r *siteRow) site() record.Site {
	r.Site.Plan, r.Site.Allowed, r.Site.Groups = r.Plan.value, r.Allowed.value, r.Groups.value
	r.Site.Keep = record.Retention{Crawls: r.KeepCrawls, Monthly: r.KeepMonthly}
	return r.Site
}

// crawlRow is a crawl with its columns of JSON.
type crawlRow struct {
	record.Crawl
	Plan     kept[plan.Plan]
	Progress kept[record.Progress]
	Live     kept[*record.Progress]
	Hours    kept[record.Hours]
	Report   kept[*record.Summary]
	Probes   kept[*survey.Probes]
	Traps    kept[[]survey.Trap]
}

func (r *crawlRow) crawl() record.Crawl {
	c := r.Crawl
	c.Plan, c.Progress, c.Report, c.Probes, c.Traps = r.Plan.value, r.Progress.value, r.Report.value, r.Probes.value,
		r.Traps.value
	c.Live, c.Hours = r.Live.value, r.Hours.value
	return c
}

func crawlsOf(rows []crawlRow) []record.Crawl {
	out := make([]record.Crawl, len(rows))
	for i := range rows {
		out[i] = rows[i].crawl()
	}
	return out
}

// pageRow is a page of a list with its column of terms.
type pageRow struct {
	column.Row
	Terms texts
	More  kept[map[string]any]
}

func (r *pageRow) page() column.Row {
	p := r.Row
	p.Terms, p.More = r.Terms, r.More.value
	p.Role, p.FoundBy = page.Role(p.RoleNumber).String(), survey.Found(p.FoundNumber).String()
	return p
}

// findingRow is a finding with its places.
type findingRow struct {
	record.PageFinding
	Places kept[[]check.Place]
}

func (r *findingRow) finding() record.PageFinding {
	f := r.PageFinding
	f.Places = r.Places.value
	return f
}
