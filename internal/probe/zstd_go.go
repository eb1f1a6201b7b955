//go:build !cgo

package probe

import (
	"io"

	"github.com/klauspost/compress/zstd"
)

// Without a C compiler zstd is a library in Go, which packs somewhat slower than the
// reference library that agents have.
func packZstd(w io.Writer, level, cores int) (io.WriteCloser, error) {
	return zstd.NewWriter(w, zstd.WithEncoderLevel(zstd.EncoderLevelFromZstd(level)), zstd.WithEncoderConcurrency(cores))
}

// zstdIs names the library.
const zstdIs = "a library in Go"
