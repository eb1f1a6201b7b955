//go:build cgo

package probe

import (
	"errors"
	"io"

	"github.com/DataDog/zstd"
)

// Where there is a C compiler zstd is the reference library, whose speed agents have
// too.
func packZstd(w io.Writer, level, cores int) (io.WriteCloser, error) {
	z := zstd.NewWriterLevel(w, level)
	if cores > 1 {
		if err := z.SetNbWorkers(cores); err != nil && !errors.Is(err, zstd.ErrNoParallelSupport) {
			return nil, err
		}
	}
	return z, nil
}

// zstdIs names the library.
const zstdIs = "the reference library"
