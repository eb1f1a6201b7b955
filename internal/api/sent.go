package api

import (
	"fmt"
	"io"
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
	x.body = &bounded{src: ctx.BodyReader(), left: maxRecording}
	return nil
}

var errTooLong = fmt.Errorf("a file of recorded jobs may have %d MiB at most; part it by weeks, or leave out columns that are not read", maxRecording>>20)

// bounded is a reader whose end beyond a bound is an error.
type bounded struct {
	src  io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if int64(len(p)) > b.left+1 {
		p = p[:b.left+1]
	}
	n, err := b.src.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return n, errTooLong
	}
	return n, err
}
