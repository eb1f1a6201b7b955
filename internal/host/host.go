// Package host runs the service for the command line.
package host

import (
	"context"
	"fmt"
	"io"
	"time"

	"tachyphor/internal/api"
	"tachyphor/internal/backup"
	"tachyphor/internal/cli"
	"tachyphor/internal/intake"
	"tachyphor/internal/service"
	"tachyphor/internal/standin/cluster"
	"tachyphor/internal/store"
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
		Far: work.Far{Reach: c.Reach, Image: c.Image}, Near: c.Pretended && c.Reach == "", Cluster: c.Cluster, PodsIn: podsIn(c), Traces: c.Traces, LeastFree: c.LeastFree, Provider: c.Provider, Retention: retention(c.Keeping),
		Backups: service.Backups{Every: c.BackupEvery, Keep: c.BackupKeep, Dir: c.BackupDir}, Certificate: c.Certificate, Key: c.Key, Proxies: c.Proxies,
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

// retention is how long records are kept.
func retention(k cli.Keeping) *store.Retention {
	days := func(n int) time.Duration { return time.Duration(n) * 24 * time.Hour }
	return &store.Retention{
		Outcomes: days(k.Outcomes), Trials: days(k.Trials), Revisions: days(k.Revisions), Recordings: days(k.Recordings), Audit: days(k.Audit),
	}
}

// LookAt reads a backup from end to end.
func (Here) LookAt(file string) (cli.Backed, error) {
	f, err := backup.Open(file, store.StepNames())
	if err != nil {
		return cli.Backed{}, fmt.Errorf("%s: %w", file, err)
	}
	return cli.Backed{Version: f.Version, At: f.At}, f.Close()
}

// Restore reads a backup into records that are empty.
func (Here) Restore(ctx context.Context, c cli.Serving, file string) (cli.Backed, error) {
	m, err := service.Restore(ctx, service.Config{State: c.State, Database: c.Database, Log: c.Log}, file)
	return cli.Backed{Version: m.Version, At: m.At}, err
}
