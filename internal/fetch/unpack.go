package fetch

import (
	"bufio"
	"errors"
	"fmt"
	"io"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/flate"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zlib"
	"github.com/klauspost/compress/zstd"
)

// errCoding marks a body whose content coding cannot be undone.
var errCoding = errors.New("content coding")

// zstdWindow bounds the memory that a zstd body may ask for (RFC 9659: 8 MiB).
const zstdWindow = 8 << 20

// unpack undoes a content coding (RFC 9110, 8.4.1). Unknown codings are an error.
func unpack(coding string, r io.Reader) (io.ReadCloser, error) {
	switch coding {
	case "", "identity":
		return io.NopCloser(r), nil
	case "gzip", "x-gzip":
		z, err := gzip.NewReader(r)
		return marked(z, err)
	case "br":
		return marked(io.NopCloser(brotli.NewReader(r)), nil)
	case "zstd":
		z, err := zstd.NewReader(r, zstd.WithDecoderMaxWindow(zstdWindow), zstd.WithDecoderConcurrency(1))
		if err != nil {
			return nil, fmt.Errorf("%w: %v", errCoding, err)
		}
		return marked(z.IOReadCloser(), nil)
	case "deflate":
		// The standard means zlib; some servers send bare deflate.
		b := bufio.NewReader(r)
		if head, err := b.Peek(2); err == nil && head[0]&0x0f == 8 && (int(head[0])<<8|int(head[1]))%31 == 0 {
			z, err := zlib.NewReader(b)
			return marked(z, err)
		}
		return marked(flate.NewReader(b), nil)
	}
	return nil, fmt.Errorf("%w %q is not known", errCoding, coding)
}

// markedReader turns a decoder's errors into errCoding, but lets an early end of the
// body and errors of the network be what they are.
type markedReader struct{ io.ReadCloser }

func marked(r io.ReadCloser, err error) (io.ReadCloser, error) {
	if err != nil {
		return nil, markError(err)
	}
	return markedReader{r}, nil
}

func (m markedReader) Read(p []byte) (int, error) {
	n, err := m.ReadCloser.Read(p)
	if err != nil {
		err = markError(err)
	}
	return n, err
}

func markError(err error) error {
	if err == io.EOF || errors.Is(err, io.ErrUnexpectedEOF) || isTimeout(err) {
		return err
	}
	return fmt.Errorf("%w: %v", errCoding, err)
}
