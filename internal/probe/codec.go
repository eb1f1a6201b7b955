package probe

import (
	"io"
	"runtime"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/klauspost/pgzip"
)

// A Codec is a way to compress an archive.
type Codec struct {
	Name  string
	Level int
	// pack and unpack wrap a stream; cores is 1, or as many as there are.
	pack   func(w io.Writer, level, cores int) (io.WriteCloser, error)
	unpack func(r io.Reader) (io.ReadCloser, error)
}

// Codecs are those that are measured: none, gzip, and zstd at three levels.
func Codecs() []Codec {
	out := []Codec{
		{
			"none", 0, func(w io.Writer, _, _ int) (io.WriteCloser, error) { return plain{w}, nil },
			func(r io.Reader) (io.ReadCloser, error) { return io.NopCloser(r), nil },
		},
		{"gzip-6", 6, packGzip, func(r io.Reader) (io.ReadCloser, error) { return gzip.NewReader(r) }},
	}
	for _, level := range []int{1, 3, 9} {
		out = append(out, Codec{"zstd-" + string(rune('0'+level)), level, packZstd, unpackZstd})
	}
	return out
}

// plain closes nothing.
type plain struct{ io.Writer }

// Close does nothing.
func (plain) Close() error { return nil }

func packGzip(w io.Writer, level, cores int) (io.WriteCloser, error) {
	if cores == 1 {
		return gzip.NewWriterLevel(w, level)
	}
	z, err := pgzip.NewWriterLevel(w, level)
	if err != nil {
		return nil, err
	}
	return z, z.SetConcurrency(1<<20, cores)
}

// unpackZstd is in Go everywhere: it is as quick as the reference library.
func unpackZstd(r io.Reader) (io.ReadCloser, error) {
	z, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(128<<20))
	if err != nil {
		return nil, err
	}
	return z.IOReadCloser(), nil
}

// AllCores is how many cores there are to pack on.
func AllCores() int { return runtime.GOMAXPROCS(0) }
