// Package sitemap reads XML sitemaps and sitemap indexes (https://www.sitemaps.org/protocol.html).
package sitemap

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
)

// MaxAddresses is how many addresses one file may list by the protocol; more are not read.
const MaxAddresses = 50_000

// A File is what one sitemap lists, as written.
type File struct {
	Pages    []string // of a urlset
	Sitemaps []string // of an index
}

// Parse reads as much as it can: on an error, what stood before it is in the file.
func Parse(data []byte) (File, error) {
	var f File
	d := xml.NewDecoder(bytes.NewReader(data))
	d.Strict = true
	var in []string
	var address strings.Builder
	for len(f.Pages)+len(f.Sitemaps) < MaxAddresses {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return f, nil
		}
		if err != nil {
			return f, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			in = append(in, t.Name.Local)
			address.Reset()
		case xml.CharData:
			address.Write(t)
		case xml.EndElement:
			if len(in) >= 3 && t.Name.Local == "loc" {
				f.add(in[len(in)-2], strings.TrimSpace(address.String()))
			}
			in = in[:max(0, len(in)-1)]
		}
	}
	return f, nil
}

func (f *File) add(parent, address string) {
	switch parent {
	case "url":
		f.Pages = append(f.Pages, address)
	case "sitemap":
		f.Sitemaps = append(f.Sitemaps, address)
	}
}
