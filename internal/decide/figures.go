package decide

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"harvik/internal/core/figures"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
	"harvik/internal/spool"
)

// maxUnmatched bounds how many addresses that match nothing an import names.
const maxUnmatched = 1000

// ImportFigures keeps figures as of a day. Their addresses are matched to those of the newest crawl:
// exactly, or else but for scheme, www. and a slash at the end, where only one page fits.
func (d *Decisions) ImportFigures(
	ctx context.Context, site record.Site, taken record.Day, in io.Reader,
) (record.Import, error) {
	out := record.Import{Columns: []figures.Column{}, Unmatched: []string{}, Faults: []figures.Fault{}}
	if err := d.room(); err != nil {
		return out, err
	}
	home, err := weburl.Parse(site.Home)
	if err != nil {
		return out, err
	}
	file, err := spooled(in)
	if err != nil {
		return out, err
	}
	defer file.Close()
	table, err := figures.Read(file, home)
	if err != nil {
		return out, record.Mistaken("%s", err.Error())
	}
	var exact map[string]bool
	loose := map[string][]string{}
	rec, err := d.store.Crawl(ctx, site.Name, 0)
	if err == nil {
		exact, err = d.store.PageAddresses(ctx, rec.ID)
	}
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		return out, err
	}
	for p, sound := range exact {
		if sound {
			loose[figures.Loose(p)] = append(loose[figures.Loose(p)], p)
		}
	}
	if err := d.store.SaveFigures(ctx, site.ID, taken, table, func(row *figures.Row) {
		out.Rows++
		like := loose[figures.Loose(row.Address)]
		switch _, known := exact[row.Address]; {
		case known:
			out.Matched++
		case len(like) == 1:
			row.Address = like[0]
			out.Matched++
		case len(out.Unmatched) < maxUnmatched:
			out.Unmatched = append(out.Unmatched, row.Address)
		}
	}); err != nil {
		return out, err
	}
	out.Columns = table.Columns
	out.Faults = append(out.Faults, table.Faults...)
	if table.More > 0 {
		out.Faults = append(out.Faults,
			figures.Fault{Reason: fmt.Sprintf("and %d further lines were left out", table.More)})
	}
	return out, d.Weigh(ctx, site.Name)
}

// SetImportance chooses the figure in numbers that weighs a site's pages beside their authority; "" for none.
func (d *Decisions) SetImportance(ctx context.Context, site record.Site, figure string) error {
	sets, err := d.store.FigureSets(ctx, site.ID)
	if err != nil {
		return err
	}
	var names []string
	for _, f := range sets {
		if f.Kind != "text" && !slices.Contains(names, f.Name) {
			names = append(names, f.Name)
		}
	}
	if figure != "" && !slices.Contains(names, figure) {
		return &record.UnknownFigureError{Figure: figure, Names: names}
	}
	if err := d.store.SetImportance(ctx, site.ID, figure); err != nil {
		return err
	}
	return d.Weigh(ctx, site.Name)
}

// RemoveFigure deletes a figure of a site with all its values; record.ErrNotFound where there is none.
func (d *Decisions) RemoveFigure(ctx context.Context, site record.Site, name string) error {
	if err := d.store.RemoveFigure(ctx, site.ID, name); err != nil {
		return err
	}
	return d.Weigh(ctx, site.Name)
}

// spooled is what is read, in a scratch file: figures are read twice.
func spooled(in io.Reader) (*os.File, error) {
	f, err := spool.Scratch()
	if err != nil {
		return nil, err
	}
	if _, err := io.Copy(f, in); err != nil {
		f.Close()
		return nil, fmt.Errorf("%w: %w", record.Mistaken("the file did not arrive whole"), err)
	}
	return f, nil
}
