package render

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
)

// A Paper is what is printed on, in inches.
type Paper struct{ Width, Height float64 }

// Papers are those that there are, by name.
var Papers = map[string]Paper{"a4": {8.27, 11.69}, "letter": {8.5, 11}}

// ErrNoPrint says that nothing could be printed.
var ErrNoPrint = errors.New("the browser printed nothing")

// printWithin is how long printing may take.
const printWithin = 60 * time.Second

// margin is left free at each side, in inches; below, page numbers stand in it.
const margin = 0.75

// footer numbers pages.
const footer = `<div style="width:100%;font-size:8px;color:#5b675f;text-align:center;font-family:sans-serif">` +
	`<span class="pageNumber"></span> / <span class="totalPages"></span></div>`

// Print makes a PDF of a page that needs nothing from elsewhere: numbered, its headings as contents, tagged for
// those who have it read to them. No script of it runs, and nothing that it names is fetched.
func (p *Pool) Print(ctx context.Context, html []byte, on Paper) (pdf []byte, err error) {
	ctx, cancel := context.WithTimeout(ctx, printWithin)
	defer cancel()
	d, err := p.turn(ctx)
	if err != nil {
		return nil, err
	}
	defer func() { p.turns <- d }()
	b, err := p.browserBy(ctx, &d)
	if err != nil {
		return nil, err
	}
	defer p.give(b)
	t, err := b.open(ctx, d.address())
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrNoPrint, err)
	}
	defer t.close()
	if pdf, err = t.print(ctx, html, on); err != nil || len(pdf) == 0 {
		return nil, errors.Join(ErrNoPrint, err)
	}
	return pdf, nil
}

func (t *tab) print(ctx context.Context, html []byte, on Paper) ([]byte, error) {
	if err := do(ctx, t.session, emulation.SetScriptExecutionDisabled,
		emulation.SetScriptExecutionDisabledParams{Value: true}); err != nil {
		return nil, err
	}
	tree, err := cdp.Call(ctx, t.session, page.GetFrameTree, cdp.Empty{})
	if err != nil {
		return nil, err
	}
	if err := do(ctx, t.session, page.SetDocumentContent,
		page.SetDocumentContentParams{FrameID: tree.FrameTree.Frame.ID, HTML: string(html)}); err != nil {
		return nil, err
	}
	yes, at := true, margin
	out, err := cdp.Call(ctx, t.session, page.PrintToPDF, page.PrintToPDFParams{
		PaperWidth: on.Width, PaperHeight: on.Height, PrintBackground: &yes,
		MarginTop: &at, MarginBottom: &at, MarginLeft: &at, MarginRight: &at,
		DisplayHeaderFooter: &yes, HeaderTemplate: "<span></span>", FooterTemplate: footer,
		GenerateTaggedPDF: &yes, GenerateDocumentOutline: &yes})
	return out.Data, err
}
