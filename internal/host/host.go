// Package host runs the service for the command line.
package host

import (
	"context"
	"io"
	"time"

	"tachyphor/internal/api"
	"tachyphor/internal/cli"
	"tachyphor/internal/intake"
	"tachyphor/internal/service"
	"tachyphor/internal/standin/cluster"
	"tachyphor/internal/work"
	"tachyphor/web"
	"tachyphor/wire"
)

// Here runs services in this process.
type Here struct{}

// Start brings a service with its console up.
func (Here) Start(ctx context.Context, c cli.Serving) (cli.Served, error) {
	if c.Pretended && c.Image == "" {
		c.Image = cluster.OwnImage
	}
	room := intake.DefaultRoom
	room.Age, room.Runs = time.Duration(c.LiveDays)*24*time.Hour, c.LiveRuns
	s, err := service.Start(ctx, service.Config{
		Live: room, TellAllow: c.TellAllow, TellKey: c.TellKey,
		Far: work.Far{Reach: c.Reach, Image: c.Image}, Near: c.Pretended && c.Reach == "", Cluster: c.Cluster, PodsIn: podsIn(c), Provider: c.Provider, Certificate: c.Certificate, Key: c.Key, Proxies: c.Proxies,
		Sessions: api.Lives{Age: c.SessionAge, Idle: c.SessionIdle}, State: c.State, Address: c.Address, Database: c.Database, Hosts: c.Hosts,
		Version: c.Version, Console: web.Console(), Log: c.Log,
	})
	if err != nil {
		return nil, err
	}
	return served{s}, nil
}

type served struct{ *service.Service }

// Reached says how the service is reached.
func (s served) Reached() wire.Access { return s.Access }

// podsIn are the namespaces that pods may be made in: of the demo's pretended cluster, where nothing runs but
// in pretence, all.
func podsIn(c cli.Serving) []string {
	if c.Pretended {
		return append(c.PodsIn, work.AnyNamespace)
	}
	return c.PodsIn
}

// Pretend starts the demo's pretended cluster.
func (Here) Pretend(kubeconfig string) (io.Closer, error) { return cluster.StartDemo(kubeconfig, 1) }

// OpenAPI returns the description of the HTTP interface.
func (Here) OpenAPI() ([]byte, error) { return api.OpenAPI("v1") }
