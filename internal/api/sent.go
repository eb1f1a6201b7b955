package api

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// sendTime is how long a large file may take to come.
const sendTime = 5 * time.Minute

// sent is a large body, read as it comes instead of whole.
type sent struct{ body io.Reader }

// Resolve takes the body over from the request.
func (x *sent) Resolve(ctx huma.Context) []error {
	_ = ctx.SetReadDeadline(time.Now().Add(sendTime)) // not of every connection
	x.body = http.MaxBytesReader(nil, io.NopCloser(ctx.BodyReader()), maxRecording)
	return nil
}

// tooLong is told of a file beyond that.
var tooLong = fmt.Sprintf("a file of recorded jobs may have %d MiB at most; part it by weeks, or leave out columns that are not read",
	maxRecording>>20)

// notWhole answers that a body was longer than it may be, which long tells, or did not come
// in time; nil where err says neither.
func notWhole(err error, long string) error {
	most := (*http.MaxBytesError)(nil)
	switch {
	case errors.As(err, &most):
		return huma.NewError(http.StatusRequestEntityTooLarge, long)
	case errors.Is(err, os.ErrDeadlineExceeded):
		return huma.NewError(http.StatusRequestTimeout, "the file did not come within "+sendTime.String()+"; try again")
	}
	return nil
}
