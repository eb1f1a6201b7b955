package api

import (
	"bytes"
	"context"
	"io"
	"net/http"

	"tachyphor/internal/figures"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// drawn is a picture.
type drawn struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

// DrawnAs says in which format a picture is wanted.
type DrawnAs struct {
	Form string `query:"form" enum:"png,svg" default:"png" doc:"Format of the picture."`
}

// media are the formats' media types.
var media = map[string]string{"png": "image/png", "svg": "image/svg+xml"}

// draw paints a picture.
func (as DrawnAs) draw(s *server, paint func(out io.Writer, format string) error) (*drawn, error) {
	var b bytes.Buffer
	if err := paint(&b, "."+as.Form); err != nil {
		return nil, s.answer(err, "picture")
	}
	return &drawn{media[as.Form], b.Bytes()}, nil
}

func (s *server) figureOperations(api huma.API) {
	picture := func(id, path, summary, tag string) huma.Operation {
		content := map[string]*huma.MediaType{}
		for _, m := range media {
			content[m] = &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}
		}
		return huma.Operation{
			OperationID: id, Method: http.MethodGet, Path: path, Summary: summary, Tags: []string{tag},
			Responses: map[string]*huma.Response{"200": {Description: "The picture.", Content: content}},
		}
	}
	huma.Register(api, picture("draw-weighing", "/api/v1/weighings/{id}/figure", "Draw a weighing", "weighings"),
		func(ctx context.Context, in *struct {
			WorkPath
			DrawnAs
		},
		) (*drawn, error) {
			o, err := weighings.get(ctx, s, in.ID)
			if err != nil {
				return nil, err
			}
			if o.State != wire.Done {
				return nil, weighings.notOver(o)
			}
			result, err := s.weighed(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return in.draw(s, func(out io.Writer, format string) error { return figures.Weighing(out, format, result) })
		})
	huma.Register(api, picture("draw-size", "/api/v1/size/{template}/figure", "Draw how a template is sized", "sizing"),
		func(ctx context.Context, in *struct {
			SizeQuestion
			DrawnAs
		},
		) (*drawn, error) {
			advice, err := s.advice(ctx, &in.SizeQuestion)
			if err != nil {
				return nil, err
			}
			return in.draw(s, func(out io.Writer, format string) error { return figures.Advice(out, format, advice) })
		})
	huma.Register(api, picture("draw-fit", "/api/v1/fit/figure", "Draw how agents go on the nodes of a cluster", "sizing"),
		func(ctx context.Context, in *struct {
			FitQuestion
			DrawnAs
		},
		) (*drawn, error) {
			fits, err := s.fits(ctx, &in.FitQuestion)
			if err != nil {
				return nil, err
			}
			return in.draw(s, func(out io.Writer, format string) error { return figures.Fits(out, format, fits) })
		})
}
