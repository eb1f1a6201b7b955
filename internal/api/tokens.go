package api

import (
	"context"
	"net/http"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// eventsToken is the kind of a token that lets events in and nothing else.
const eventsToken = "events"

// shownID is how much of a token's hash names it.
const shownID = 12

func (s *server) tokenOperations(api huma.API) {
	tags := []string{"session"}
	huma.Register(api, huma.Operation{
		OperationID: "list-tokens", Method: http.MethodGet, Path: "/api/v1/tokens", Summary: "List tokens", Tags: tags,
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.Tokens }, error) {
		list, err := s.Store.Tokens(ctx, bearerToken, eventsToken)
		if err != nil {
			return nil, s.answer(err, "tokens")
		}
		out := wire.Tokens{Items: make([]wire.Token, 0, len(list))}
		for _, t := range list {
			out.Items = append(out.Items, tokenOf(t))
		}
		return &struct{ Body wire.Tokens }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "new-token", Method: http.MethodPost, Path: "/api/v1/tokens", Summary: "Make a token that lets events in and nothing else",
		Tags: tags, DefaultStatus: http.StatusCreated,
	}, func(ctx context.Context, in *struct{ Body wire.NewToken }) (*struct{ Body wire.MadeToken }, error) {
		secret, hash := NewToken()
		t := store.Token{Hash: hash, Name: in.Body.Name, Kind: eventsToken}
		if in.Body.Days > 0 {
			ends := time.Now().UTC().AddDate(0, 0, in.Body.Days)
			t.Expires = &ends
		}
		if err := s.Store.PutToken(ctx, t); err != nil {
			return nil, s.answer(err, "token")
		}
		t.At = time.Now().UTC()
		return &struct{ Body wire.MadeToken }{wire.MadeToken{Token: tokenOf(t), Secret: secret}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "end-token", Method: http.MethodDelete, Path: "/api/v1/tokens/{id}", Summary: "End a token that lets events in", Tags: tags,
		DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *struct {
		ID string `path:"id" pattern:"^[0-9a-f]{12}$" doc:"Its id."`
	},
	) (*struct{}, error) {
		return nil, s.answer(s.Store.EndToken(ctx, eventsToken, in.ID), "token "+in.ID+" for events")
	})
}

func tokenOf(t store.Token) wire.Token {
	out := wire.Token{ID: t.Hash[:shownID], Name: t.Name, For: "all", At: t.At, Expires: t.Expires}
	if t.Kind == eventsToken {
		out.For = "events"
	}
	return out
}
