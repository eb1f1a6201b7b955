package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// mostFollowed is how many scenarios may be followed.
const mostFollowed = 100

// ScenarioPath names a scenario.
type ScenarioPath struct {
	Scenario string `path:"scenario" minLength:"1" maxLength:"63" doc:"Its name."`
}

func (s *server) driftOperations(api huma.API) {
	tags := []string{"drift"}
	huma.Register(api, huma.Operation{
		OperationID: "list-followed", Method: http.MethodGet, Path: "/api/v1/drift", Summary: "List scenarios that are followed, and how they stand", Tags: tags,
	}, s.followed)
	huma.Register(api, huma.Operation{
		OperationID: "get-followed", Method: http.MethodGet, Path: "/api/v1/drift/{scenario}", Summary: "Get how a followed scenario stands, day by day", Tags: tags,
	}, s.followedDays)
	huma.Register(api, huma.Operation{
		OperationID: "follow", Method: http.MethodPut, Path: "/api/v1/drift/{scenario}", Summary: "Compare every day of the live records with a scenario",
		Description: "Each day is looked at three hours after its end, in the workload's time zone; days that are over already, at once.", Tags: tags,
	}, s.follow)
	huma.Register(api, huma.Operation{
		OperationID: "unfollow", Method: http.MethodDelete, Path: "/api/v1/drift/{scenario}", Summary: "Do that no more", Tags: tags, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *ScenarioPath) (*struct{}, error) {
		return nil, s.answer(s.Store.Unfollow(ctx, in.Scenario), "followed scenario "+in.Scenario)
	})
}

func (s *server) followed(ctx context.Context, _ *struct{}) (*struct{ Body wire.AllFollowed }, error) {
	list, err := s.Store.AllFollowed(ctx)
	if err != nil {
		return nil, s.answer(err, "followed scenarios")
	}
	out := wire.AllFollowed{Items: make([]wire.Followed, 0, len(list))}
	for _, f := range list {
		out.Items = append(out.Items, followedOf(&f))
	}
	if out.Waiting, out.Failure, err = s.Store.NoticesWaiting(ctx); err != nil {
		return nil, s.answer(err, "events")
	}
	return &struct{ Body wire.AllFollowed }{out}, nil
}

// daysOf tells how a followed scenario stands.
func (s *server) daysOf(ctx context.Context, f store.Followed) (out wire.FollowedDays, err error) {
	said, err := s.Store.Nights(ctx, f.Scenario)
	if err != nil {
		return out, s.answer(err, "days of "+f.Scenario)
	}
	days, err := work.DaysOf(said)
	if err != nil {
		return out, s.answer(err, "days of "+f.Scenario)
	}
	return wire.FollowedDays{Followed: followedOf(&f), Days: days}, nil
}

func followedOf(f *store.Followed) wire.Followed {
	out := wire.Followed{
		Follow: wire.Follow{From: f.From, Project: f.Project, Tell: f.Tell}, Scenario: f.Scenario, By: f.By, At: f.At, Trouble: f.Trouble,
		Standing: work.StandingOf(f),
	}
	out.Says = out.Standing.Says()
	return out
}

func (s *server) followedDays(ctx context.Context, in *ScenarioPath) (*struct{ Body wire.FollowedDays }, error) {
	f, err := s.Store.GetFollowed(ctx, in.Scenario)
	if err != nil {
		return nil, s.answer(err, "followed scenario "+in.Scenario)
	}
	out, err := s.daysOf(ctx, f)
	if err != nil {
		return nil, err
	}
	return &struct{ Body wire.FollowedDays }{out}, nil
}

func (s *server) follow(ctx context.Context, in *struct {
	ScenarioPath
	Body wire.Follow
},
) (*struct{ Body wire.FollowedDays }, error) {
	what := "scenario " + in.Scenario
	if _, err := s.Store.Get(ctx, document.KindScenario, in.Scenario, 0); err != nil {
		return nil, s.answer(err, what)
	}
	now := time.Now()
	f := store.Followed{Scenario: in.Scenario, From: in.Body.From, Project: in.Body.Project, Tell: in.Body.Tell, By: who(ctx)}
	from, err := time.Parse(time.DateOnly, f.From)
	switch {
	case f.From == "":
		f.From = now.AddDate(0, 0, -1).Format(time.DateOnly)
		if old, err := s.Store.GetFollowed(ctx, in.Scenario); err == nil {
			f.From = old.From
		}
	case err != nil:
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("from: %q is not a day; write it like 2026-11-02", f.From))
	case from.Before(now.AddDate(0, 0, -work.MostBack-1)):
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("from: %s is more than %d days back", f.From, work.MostBack))
	case from.After(now.AddDate(1, 0, 0)):
		return nil, huma.Error422UnprocessableEntity("from: " + f.From + " is more than a year ahead")
	}
	if f.Tell != "" {
		if err := s.MayTell(f.Tell); err != nil {
			return nil, huma.Error422UnprocessableEntity("tell: " + err.Error())
		}
	}
	list, err := s.Store.AllFollowed(ctx)
	if err != nil {
		return nil, s.answer(err, "followed scenarios")
	}
	others := 0
	for _, x := range list {
		if x.Scenario != f.Scenario {
			others++
		}
	}
	if others >= mostFollowed {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("%d scenarios are followed, which is the most; end following one first", others))
	}
	if err := s.Store.Follow(ctx, f); err != nil {
		return nil, s.answer(err, what)
	}
	s.Queue.Dusk()
	return s.followedDays(ctx, &in.ScenarioPath)
}
