package api

import (
	"context"
	"errors"
	"net/http"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// PersonPath names someone in an address.
type PersonPath struct {
	Name string `path:"name" minLength:"1" maxLength:"63" pattern:"^[^\\x00-\\x1f/]+$" doc:"Who."`
}

func (s *server) peopleOperations(api huma.API) {
	tags := []string{"people"}
	huma.Register(api, huma.Operation{
		OperationID: "list-people", Method: http.MethodGet, Path: "/api/v1/people", Summary: "List who may sign in", Tags: tags,
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.People }, error) {
		list, err := s.Store.People(ctx)
		if err != nil {
			return nil, s.answer(err, "people")
		}
		out := wire.People{Items: make([]wire.Person, 0, len(list))}
		for _, p := range list {
			by := "here"
			if p.Subject != nil {
				by = "provider"
			}
			out.Items = append(out.Items, wire.Person{
				Name: p.Name, Role: p.May(), By: by, At: p.At, Seen: p.Seen, Sessions: p.Sessions, Tokens: p.Tokens,
			})
		}
		return &struct{ Body wire.People }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "set-role", Method: http.MethodPut, Path: "/api/v1/people/{name}", Summary: "Give someone a role",
		Description: "It holds at once, for their sessions and tokens too. Of one whom the identity provider names, it is the most that they may.",
		Tags:        tags, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *struct {
		PersonPath
		Body wire.SetRole
	},
	) (*struct{}, error) {
		return nil, s.ofPeople(s.Store.SetRole(ctx, in.Name, in.Body.Role), in.Name)
	})
	huma.Register(api, huma.Operation{
		OperationID: "drop-person", Method: http.MethodDelete, Path: "/api/v1/people/{name}", Summary: "Forget someone",
		Description: "Their sessions and tokens end. What they made stays, with their name.", Tags: tags, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *PersonPath) (*struct{}, error) {
		return nil, s.ofPeople(s.Store.DropPerson(ctx, in.Name), in.Name)
	})
}

// ofPeople answers what came of a change to someone.
func (s *server) ofPeople(err error, name string) error {
	if errors.Is(err, store.ErrLastOwner) {
		return huma.Error422UnprocessableEntity(name + " is the last owner, and there must be one; make someone else an owner first")
	}
	return s.answer(err, "person "+name)
}
