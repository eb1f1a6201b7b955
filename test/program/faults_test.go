package program

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/demo"
	"tachyphor/internal/store"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

func TestMain(m *testing.M) {
	status := m.Run()
	running.Clean()
	os.Exit(status)
}

// eventually waits for something, or fails.
func eventually(t *testing.T, what string, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(4 * time.Minute); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if is() {
			return
		}
	}
	t.Fatalf("waited in vain: %s", what)
}

// expected computes the digest of an outcome in this process.
func expected(t *testing.T, scenario string, repeats int) string {
	t.Helper()
	w, err := worlds.Demo(scenario)
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats = repeats
	o, _, err := outcome.Simulate(w, 2, nil)
	if err != nil {
		t.Fatal(err)
	}
	return store.Digest(encoded(t, o))
}

// Killed in the middle of a simulation, the service finishes it after a restart,
// to the same bytes; no database is left behind.
func TestKilledInTheMiddleOfASimulation(t *testing.T) {
	t.Parallel()
	const repeats = 20
	ctx, state := context.Background(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	many := repeats
	first, err := c.Simulate(ctx, "weekday-lean", wire.Run{Repeats: &many})
	if err != nil {
		t.Fatal(err)
	}
	second, err := c.Simulate(ctx, "on-demand", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	eventually(t, "progress", func() bool {
		o, err := c.Outcome(ctx, first.ID, false)
		return err == nil && o.State == "running" && o.Progress > 0.02
	})
	p.Kill()
	eventually(t, "the database to end with its service", func() bool { return running.Database(state) == 0 })

	p, c = running.Serve(t, state, nil)
	for id, want := range map[uint64]string{first.ID: expected(t, "weekday-lean", repeats), second.ID: expected(t, "on-demand", 8)} {
		end, err := c.Watch(ctx, id, func(wire.WorkBrief) {})
		if err != nil || end.State != "done" {
			t.Fatalf("outcome %d: %+v, %v\n%s", id, end, err, p.Log())
		}
		if end.Simulation.Digest != want {
			t.Errorf("outcome %d has the digest %s, computed here %s", id, end.Simulation.Digest, want)
		}
	}
	if status := p.Stop(); status != 0 {
		t.Errorf("stopped with status %d:\n%s", status, p.Log())
	}
	if pid := running.Database(state); pid != 0 {
		t.Errorf("the database %d runs on", pid)
	}
}

// Its database killed in the middle of writes, the service starts it again and
// has everything that it had accepted.
func TestDatabaseKilledInTheMiddleOfWrites(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	many := 32
	asked, err := c.Simulate(ctx, "weekday-lean", wire.Run{Repeats: &many})
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	accepted := map[string]int{}
	stop := make(chan struct{})
	var writers sync.WaitGroup
	for n := range 3 {
		writers.Go(func() {
			for i := 0; ; i++ {
				select {
				case <-stop:
					return
				default:
				}
				name := fmt.Sprintf("w%d-%d", n, i%20)
				stored, err := c.Put(ctx, "", []byte(fmt.Sprintf("apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: %s}\nspec: "+
					"{cluster: c, workload: w, templates: [{template: t}], run: {seed: %d}}\n", name, i)), false)
				if err == nil {
					mu.Lock()
					accepted[name] = stored[0].Revision
					mu.Unlock()
				}
			}
		})
	}
	enough := func(n int) func() bool {
		return func() bool {
			mu.Lock()
			defer mu.Unlock()
			sum := 0
			for _, r := range accepted {
				sum += r
			}
			return sum > n
		}
	}
	for round := range 3 {
		eventually(t, "writes", enough(40*(round+1)))
		old := running.Database(state)
		if err := syscall.Kill(old, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		eventually(t, "another database", func() bool { pid := running.Database(state); return pid != 0 && pid != old })
		eventually(t, "readiness", func() bool {
			resp, err := http.Get(c.Address + "/readyz")
			if err != nil {
				return false
			}
			_ = resp.Body.Close()
			return resp.StatusCode == http.StatusOK
		})
	}
	close(stop)
	writers.Wait()
	for name, revision := range accepted {
		d, err := c.Get(ctx, document.KindScenario, name, revision)
		if err != nil || !strings.Contains(d.Text, name) {
			t.Errorf("%s revision %d was accepted and is gone: %v", name, revision, err)
		}
	}
	end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {})
	if err != nil || end.State != "done" || end.Simulation.Digest != expected(t, "weekday-lean", many) {
		t.Errorf("outcome %+v, %v\n%s", end, err, p.Log())
	}
}

// Its database killed as accepted work begins, nothing of it fails.
func TestDatabaseKilledAsWorkBegins(t *testing.T) {
	t.Parallel() // it waits most of its time
	ctx, state := context.Background(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	var asked []uint64
	once := 1
	for round := range 3 {
		for range 3 {
			o, err := c.Simulate(ctx, "on-demand", wire.Run{Repeats: &once})
			if err != nil {
				t.Fatal(err)
			}
			asked = append(asked, o.ID)
		}
		time.Sleep(time.Duration(round) * 14 * time.Millisecond)
		old := running.Database(state)
		if err := syscall.Kill(old, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		eventually(t, "another database that answers", func() bool {
			if pid := running.Database(state); pid == 0 || pid == old {
				return false
			}
			_, err := c.List(ctx, "")
			return err == nil
		})
	}
	for _, id := range asked {
		if end, err := c.Watch(ctx, id, func(wire.WorkBrief) {}); err != nil || end.State != "done" {
			t.Errorf("outcome %+v, %v", end, err)
		}
	}
	if t.Failed() {
		t.Log(p.Log())
	}
}

// Work over which the service is killed again and again is given up, and what waits
// behind it is done.
func TestKilledAgainAndAgain(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	many := 900
	heavy, err := c.Simulate(ctx, "weekday-lean", wire.Run{Repeats: &many})
	if err != nil {
		t.Fatal(err)
	}
	light, err := c.Simulate(ctx, "on-demand", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	for range 3 {
		eventually(t, "work", func() bool {
			o, err := c.Outcome(ctx, heavy.ID, false)
			return err == nil && o.State == "running"
		})
		p.Kill()
		p, c = running.Serve(t, state, nil)
	}
	if end, err := c.Watch(ctx, light.ID, func(wire.WorkBrief) {}); err != nil || end.State != "done" {
		t.Errorf("what waits behind: %+v, %v", end, err)
	}
	o, err := c.Outcome(ctx, heavy.ID, false)
	if err != nil || o.State != "failed" || !strings.Contains(o.Error, "ended 3 times while it worked on this") {
		t.Errorf("%+v, %v", o, err)
	}
}

// Killed while it starts, at whatever moment of that, the service starts the next time.
func TestKilledWhileItStarts(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	for round := range 14 {
		p := running.Begin(t, state, nil)
		time.Sleep(time.Duration(40+round*round*6) * time.Millisecond)
		p.Kill()
	}
	began := time.Now()
	_, c := running.Serve(t, state, nil)
	if _, err := c.List(context.Background(), ""); err != nil {
		t.Error(err)
	}
	t.Logf("started after %s", time.Since(began))
}

// One service at a time uses a state folder; the data is there the next time; a
// given database is used instead of a private one.
func TestStateFolderAndGivenDatabase(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	if r := command(t, "", "serve", "--state", state); r.status != 1 || !strings.Contains(r.err, "another service runs on this state folder") {
		t.Errorf("a second service: %+v", r)
	}
	// A service with a folder of its own, on the first one's database.
	dsn := databaseOf(t, state)
	q, d := running.Serve(t, t.TempDir(), nil, "--database", dsn+"shared_copy")
	if list, err := d.List(ctx, ""); err != nil || len(list) != 0 {
		t.Errorf("a fresh database holds %v, %v", list, err)
	}
	if running.Database(q.State) != 0 {
		t.Error("a private database runs though one was given")
	}
	q.Stop()
	if p.Stop() != 0 {
		t.Error(p.Log())
	}
	_, c = running.Serve(t, state, nil)
	if list, err := c.List(ctx, document.KindScenario); err != nil || len(list) != len(demo.Scenarios) {
		t.Errorf("after a restart there are %v, %v", list, err)
	}
}

// databaseOf returns the address of a private database, without its name.
func databaseOf(t *testing.T, state string) string {
	t.Helper()
	password, err := os.ReadFile(filepath.Join(state, "mariadb", "password"))
	if err != nil {
		t.Fatal(err)
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", running.Database(state)))
	if err != nil {
		t.Fatal(err)
	}
	for _, arg := range strings.Split(string(line), "\x00") {
		if port, ok := strings.CutPrefix(arg, "--port="); ok {
			return fmt.Sprintf("tachyphor:%s@tcp(127.0.0.1:%s)/", password, port)
		}
	}
	t.Fatal("the database has no port")
	return ""
}

// The service runs as an ordinary user as well as as root.
func TestAsOrdinaryUser(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("this is one already; the other tests show it")
	}
	const nobody = 65534
	state, err := os.MkdirTemp("", "tachyphor-nobody-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(state) })
	if err := os.Chown(state, nobody, nobody); err != nil {
		t.Fatal(err)
	}
	p, c := running.Serve(t, state, &syscall.Credential{Uid: nobody, Gid: nobody})
	if _, err := c.List(context.Background(), ""); err != nil {
		t.Error(err)
	}
	if p.Stop() != 0 {
		t.Error(p.Log())
	}
}

// Killed in the middle of writes, the service has a line of the audit for each change and a change for each
// line.
func TestAuditAndChangesAreOne(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	for round := range 3 {
		p, c := running.Serve(t, state, nil)
		var writers sync.WaitGroup
		for n := range 4 {
			writers.Go(func() {
				for i := 0; ; i++ {
					text := fmt.Sprintf("apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: w%d}\nspec: "+
						"{cluster: c, workload: w, templates: [{template: t}], run: {seed: %d}}\n", n, 1000*round+i+1)
					if _, err := c.Put(ctx, "", []byte(text), false); err != nil {
						return // it is dead
					}
				}
			})
		}
		time.Sleep(time.Duration(400+150*round) * time.Millisecond)
		p.Kill()
		writers.Wait()
	}
	_, c := running.Serve(t, state, nil)
	lines, said := 0, map[string]bool{}
	for before := ""; ; {
		page, err := c.Audit(ctx, client.WhichDeeds{What: "put-documents"}, before, 500)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range page.Items {
			lines++
			name, _, _ := strings.Cut(d.Said, " changed")
			name, _, _ = strings.Cut(name, " new")
			said[name] = true
		}
		if before = page.Next; before == "" {
			break
		}
	}
	changes := 0
	for n := range 4 {
		d, err := c.Get(ctx, "Scenario", fmt.Sprint("w", n), 0)
		if err != nil {
			t.Fatal(err)
		}
		changes += d.Revision
		for r := 1; r <= d.Revision; r++ {
			if !said[fmt.Sprintf("Scenario/w%d r%d", n, r)] {
				t.Errorf("nobody says who made revision %d of w%d", r, n)
			}
		}
	}
	if changes != lines || changes < 20 {
		t.Errorf("%d changes, %d lines of the audit", changes, lines)
	}
}
