package record

import (
	"context"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
)

// A Batch is what a crawl has stored at once.
type Batch struct {
	First     int32 // number of the first address
	Addresses []survey.Address
	Seq       int // how many records were stored before
	Records   []booking.Record
	Files     []booking.File
	// of pages that are stored, with this batch or one before
	Renderings []Rendering
	Progress   Progress
}

// A Rendering is what a browser made of a page, by device.
type Rendering struct {
	ID       int32
	Pages    []rendered.Page
	Pictures [][]byte // of the first view, WebP; nil for none
}

// A Sink stores a crawl while it runs.
type Sink interface {
	// Save is called from one goroutine, with batches in order; what it is given is not changed afterwards.
	Save(ctx context.Context, b Batch) error
	// SaveSite stores what the checks on the whole site find, check by check, so that a large crawl's findings need not
	// be held together. DropSite forgets what it stored in a run that was cut off while it judged.
	SaveSite(ctx context.Context, found []check.Finding) error
	DropSite(ctx context.Context) error
	// Finish is told that all but the verdict is stored.
	Finish(ctx context.Context) error
}

// A Past is what is stored of a crawl that was cut off or paused.
type Past interface {
	// Start gives the stored addresses by number, and the files, sitemaps without their bodies.
	Start(ctx context.Context) (addresses []string, files []booking.File, p Progress, err error)
	// Body is that of a stored file.
	Body(ctx context.Context, address string) ([]byte, error)
	// EachRecord calls f with every record as it was saved, in order; findings are left out.
	EachRecord(ctx context.Context, addresses []string, f func(*booking.Record) error) error
	// Rendered are the pages that have been rendered.
	Rendered(ctx context.Context) (map[int32]bool, error)
	// Truncate forgets stored addresses from a number on.
	Truncate(ctx context.Context, n int) error
}

// A KeptPage is the source of a page.
type KeptPage struct {
	ID       int32
	Encoding string // of its characters, as it was read
	Body     []byte // as it came, content coding undone
}
