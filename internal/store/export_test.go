package store

import "harvik/internal/core/booking"

// Raw is what is long of a page as an earlier Harvik kept it, with the page.
func Raw(r booking.Record) (facts, links, main []byte, err error) {
	parts, err := longs([]booking.Record{r})
	if err != nil {
		return nil, nil, nil, err
	}
	return parts[0].facts, parts[0].links, parts[0].main, nil
}
