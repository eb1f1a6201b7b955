package api

import (
	"bufio"
	"context"
	"io"

	"tachyphor/core/table"

	"github.com/danielgtaylor/huma/v2"
)

// file answers with a file of a form, which write writes while it goes out. Name is without its ending.
func (s *server) file(name string, form table.Form, write func(ctx context.Context, out io.Writer) error) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(c huma.Context) {
		c.SetHeader("Content-Type", form.MediaType())
		c.SetHeader("Content-Disposition", `attachment; filename="`+name+"."+string(form)+`"`)
		out := bufio.NewWriterSize(c.BodyWriter(), 256<<10)
		err := write(c.Context(), out)
		if err == nil {
			err = out.Flush()
		}
		if err != nil { // the head is out; a file cut short must not look whole
			s.Log.Warn("an export was cut short", "of", name, "error", err)
			brokeOff(c.Context())
		}
	}}
}
