package service_test

import (
	"context"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/internal/service"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

var world = worlds.Small("", `, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 200}]}`, "{span: 7d, repeats: 2}") +
	worlds.Template("unused", "y", "1", "4Gi", "i:1")

// With a full disk nothing is taken in and nothing is begun, what is stored can be read
// and dropped, and once there is room again everything goes on.
func TestFullDisk(t *testing.T) {
	ctx := context.Background()
	var free atomic.Int64
	free.Store(1 << 30)
	s, err := service.Start(ctx, service.Config{
		State: t.TempDir(), Address: "127.0.0.1:0", Version: "test", Unsafe: true, Cluster: kube.Options{Kubeconfig: os.DevNull},
		Log:  slog.New(slog.NewTextHandler(io.Discard, nil)),
		Free: func(string) (units.Bytes, error) { return units.Bytes(free.Load()), nil },
	})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	c := &client.Client{Address: s.Access.Address, Token: s.Access.Token}
	if _, err := c.Put(ctx, "", []byte(world), false); err != nil {
		t.Fatal(err)
	}
	many := 1000
	var long []uint64
	for range 3 { // as many as share the cores
		o, err := c.Simulate(ctx, "s", wire.Run{Repeats: &many})
		if err != nil {
			t.Fatal(err)
		}
		long = append(long, o.ID)
	}
	waiting, err := c.Simulate(ctx, "s", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	free.Store(20 << 20)
	time.Sleep(1100 * time.Millisecond) // it is looked at once a second
	text := []byte("apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: another}\nspec: {cluster: c, workload: w, " +
		"templates: [{template: t}]}\n")
	if _, err := c.Put(ctx, "", text, false); !client.IsStatus(err, 507) || !strings.Contains(err.Error(), "20 MiB free") {
		t.Errorf("stored on a full disk: %v", err)
	}
	if _, err := c.Put(ctx, "", text, true); err != nil {
		t.Errorf("checking only: %v", err)
	}
	if list, err := c.List(ctx, ""); err != nil || len(list) == 0 {
		t.Errorf("reading: %v, %v", list, err)
	}
	if err := c.Drop(ctx, document.KindPodTemplate, "unused"); err != nil {
		t.Errorf("dropping: %v", err)
	}
	for _, id := range long {
		if _, err := c.Cancel(ctx, id); err != nil {
			t.Errorf("cancelling: %v", err)
		}
	}
	time.Sleep(1500 * time.Millisecond)
	if o, err := c.Outcome(ctx, waiting.ID, false); err != nil || o.State != "queued" {
		t.Errorf("begun on a full disk: %+v, %v", o, err)
	}
	free.Store(1 << 30)
	time.Sleep(1100 * time.Millisecond)
	if _, err := c.Put(ctx, "", text, false); err != nil {
		t.Errorf("with room again: %v", err)
	}
	if o, err := c.Watch(ctx, waiting.ID, func(wire.WorkBrief) {}); err != nil || o.State != "done" {
		t.Errorf("with room again: %+v, %v", o, err)
	}
}
