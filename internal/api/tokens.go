package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// shownID is how much of a token's hash names it.
const shownID = 12

// tokenPath names a token or a session in an address.
type tokenPath struct {
	ID string `path:"id" pattern:"^[0-9a-f]{12}$" doc:"Its id."`
}

// ownUnlessOwner is whose tokens someone may see and end: their own, or, of owners, anyone's (empty).
func ownUnlessOwner(ctx context.Context) string {
	if c := callerOf(ctx); !c.May.May(wire.Owner) {
		return c.Person
	}
	return ""
}

func (s *server) tokenOperations(api huma.API) {
	tags := []string{"session"}
	huma.Register(api, huma.Operation{
		OperationID: "list-tokens", Method: http.MethodGet, Path: "/api/v1/tokens", Summary: "List tokens",
		Description: "Your own; owners see and end everyone's.", Tags: tags,
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.Tokens }, error) {
		list, err := s.Store.Tokens(ctx, ownUnlessOwner(ctx), store.Bearer, store.Local, store.Events)
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
		OperationID: "new-token", Method: http.MethodPost, Path: "/api/v1/tokens", Summary: "Make a token",
		Description: "It can do no more than its role, and never more than who made it may at that time. One for events is made by designers.",
		Tags:        tags, DefaultStatus: http.StatusCreated,
	}, s.makeToken)
	huma.Register(api, huma.Operation{
		OperationID: "end-token", Method: http.MethodDelete, Path: "/api/v1/tokens/{id}", Summary: "End a token",
		Description: "Your own; owners see and end everyone's. Sessions that were begun with it end as well.", Tags: tags,
		DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *tokenPath) (*struct{}, error) {
		return nil, s.answer(s.Store.EndToken(ctx, ownUnlessOwner(ctx), in.ID, store.Bearer, store.Local, store.Events), "token "+in.ID)
	})
}

func (s *server) makeToken(ctx context.Context, in *struct{ Body wire.NewToken }) (*struct{ Body wire.MadeToken }, error) {
	c, needs := callerOf(ctx), in.Body.Role
	if needs == wire.Events {
		needs = wire.Designer
	}
	if !c.May.May(needs) {
		return nil, s.forbidden(ctx, "new-token", "tokens", needs)
	}
	have, err := s.Store.Tokens(ctx, c.Person, store.Bearer, store.Events)
	if err != nil {
		return nil, s.answer(err, "tokens")
	}
	if len(have) >= mostTokens {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("%s has %d tokens, and more are not kept; end some first", c.Person, len(have)))
	}
	secret, hash := NewToken()
	t := store.Token{Hash: hash, Name: in.Body.Name, Kind: store.Bearer, Person: c.Person, Role: in.Body.Role}
	if t.Role == wire.Events {
		t.Kind = store.Events
	}
	if in.Body.Days > 0 {
		ends := time.Now().UTC().AddDate(0, 0, in.Body.Days)
		t.Expires = &ends
	}
	if err := s.Store.PutToken(ctx, t); err != nil {
		return nil, s.answer(err, "token")
	}
	t.At = time.Now().UTC()
	return &struct{ Body wire.MadeToken }{wire.MadeToken{Token: tokenOf(t), Secret: secret}}, nil
}

// mostTokens is how many tokens someone may have.
const mostTokens = 100

func tokenOf(t store.Token) wire.Token {
	return wire.Token{
		ID: t.Hash[:shownID], Name: t.Name, Person: t.Person, Role: t.Role, Here: t.Kind == store.Local, At: t.At, Used: t.Used, From: t.From,
		Expires: t.Expires,
	}
}
