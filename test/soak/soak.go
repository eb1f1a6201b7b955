// Package soak breaks a service again and again while clients work with it, and holds what is there afterwards
// against what was acknowledged to them.
package soak

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/test/running"
	"tachyphor/wire"

	"golang.org/x/sys/unix"
)

// diskSize is how large the disk of the records is, so that it can be filled.
const diskSize = "size=1500m"

// A Result is what a soak came to.
type Result struct {
	Crashes     map[string]int
	Back        []time.Duration // from each crash until a read was answered again
	Reads       []time.Duration // of clients, that were answered
	Failed      int             // requests of clients that came to nothing
	Took        time.Duration
	MemoryStart int64 // of the service, after its first start, bytes
	MemoryEnd   int64
	FilesStart  int
	FilesEnd    int
	NoDisk      string // why the disk could not be filled
	verdict
}

// soaking is a soak on its way.
type soaking struct {
	t      testing.TB
	state  string
	listen string
	cable  *cable
	p      *running.Process
	c      *client.Client // past the cable
	r      *Result
	disk   bool // the state folder has a disk of its own
	probes int
}

// Run breaks a service so many times.
func Run(t testing.TB, crashes int, digests []string, seed uint64) *Result {
	t.Helper()
	s := &soaking{t: t, r: &Result{Crashes: map[string]int{}}, listen: running.FreeAddress(t)}
	s.state = filepath.Join(t.TempDir(), "state")
	s.mount()
	s.p, s.c = running.Serve(t, s.state, nil, "--listen", s.listen)
	if _, err := s.c.Put(context.Background(), "", []byte(world()), false); err != nil {
		t.Fatal(err)
	}
	token, err := s.c.NewToken(context.Background(), wire.NewToken{Name: "sender", Role: wire.Events})
	if err != nil {
		t.Fatal(err)
	}
	s.cable = lay(t, s.listen)
	w := start(&client.Client{Address: s.cable.address(), Token: s.c.Token}, token.Secret)
	time.Sleep(2 * time.Second)
	s.r.MemoryStart, s.r.FilesStart = use(t, s.p)
	began := time.Now()
	draw := rand.New(rand.NewPCG(seed, 1))
	kinds := []struct {
		name string
		do   func(*rand.Rand) time.Time // returns from when on it should answer
	}{
		{"service killed", s.killService},
		{"database killed", s.killDatabase},
		{"both killed", s.killBoth},
		{"connections cut", s.cut},
		{"disk full", s.fill},
		{"clock stopped", s.pause},
	}
	for n := range crashes {
		k := kinds[n%len(kinds)]
		if k.name == "disk full" && !s.disk {
			k = kinds[n%3]
		}
		time.Sleep(time.Duration(50+draw.IntN(600)) * time.Millisecond)
		s.r.Crashes[k.name]++
		s.answered(k.do(draw))
	}
	time.Sleep(time.Second)
	w.end()
	s.r.MemoryEnd, s.r.FilesEnd = use(t, s.p)
	s.r.Took = time.Since(began)
	if s.r.verdict, err = w.judge(s.c, digests); err != nil {
		t.Fatalf("%v\n%s", err, s.p.Log())
	}
	s.r.Reads, s.r.Failed = w.reads, w.failed
	slices.Sort(s.r.Reads)
	slices.Sort(s.r.Back)
	if status := s.p.Stop(); status != 0 {
		t.Errorf("stopped with status %d:\n%s", status, s.p.Log())
	}
	return s.r
}

// mount gives the state folder a disk of its own, where that may be.
func (s *soaking) mount() {
	if err := os.MkdirAll(s.state, 0o700); err != nil {
		s.t.Fatal(err)
	}
	if err := unix.Mount("tmpfs", s.state, "tmpfs", 0, diskSize+",mode=0700"); err != nil {
		s.r.NoDisk = "no file system can be mounted here: " + err.Error()
		return
	}
	s.disk = true
	s.t.Cleanup(func() {
		s.p.Kill()
		for range 50 { // the database may take a moment to go
			if unix.Unmount(s.state, 0) == nil {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
		_ = unix.Unmount(s.state, unix.MNT_DETACH)
	})
}

// again starts the service where it ended.
func (s *soaking) again() {
	for deadline := time.Now().Add(2 * time.Minute); running.Database(s.state) != 0 && time.Now().Before(deadline); {
		time.Sleep(20 * time.Millisecond)
	}
	s.p, _ = running.Serve(s.t, s.state, nil, "--listen", s.listen)
}

func (s *soaking) killService(*rand.Rand) time.Time {
	began := time.Now()
	s.p.Kill()
	s.again()
	return began
}

func (s *soaking) killDatabase(*rand.Rand) time.Time {
	defer time.Sleep(20 * time.Millisecond) // for it to be gone
	if pid := running.Database(s.state); pid != 0 {
		_ = syscall.Kill(pid, syscall.SIGKILL)
	}
	return time.Now()
}

func (s *soaking) killBoth(draw *rand.Rand) time.Time {
	s.killDatabase(draw)
	time.Sleep(time.Duration(draw.IntN(300)) * time.Millisecond) // it may be about to start it again
	return s.killService(draw)
}

func (s *soaking) cut(draw *rand.Rand) time.Time {
	s.cable.cut(true)
	time.Sleep(time.Duration(draw.IntN(500)) * time.Millisecond)
	s.cable.cut(false)
	return time.Now()
}

// fill fills the disk to its last block, for a while.
func (s *soaking) fill(draw *rand.Rand) time.Time {
	path := filepath.Join(s.state, "balloon")
	f, err := os.Create(path)
	if err != nil {
		s.t.Error(err)
		return time.Now()
	}
	block := make([]byte, 1<<20)
	for size := len(block); size >= 512; {
		if _, err := f.Write(block[:size]); errors.Is(err, syscall.ENOSPC) {
			size /= 2
		} else if err != nil {
			s.t.Error(err)
			break
		}
	}
	time.Sleep(time.Duration(500+draw.IntN(2000)) * time.Millisecond)
	_ = f.Close()
	_ = os.Remove(path)
	return time.Now()
}

// pause stops the service's clock, and that of its database: all that it waits for is long over when it goes on.
func (s *soaking) pause(draw *rand.Rand) time.Time {
	pids := []int{s.p.Pid()}
	if pid := running.Database(s.state); pid != 0 && draw.IntN(2) == 0 {
		pids = append(pids, pid)
	}
	for _, pid := range pids {
		_ = syscall.Kill(pid, syscall.SIGSTOP)
	}
	time.Sleep(time.Duration(200+draw.IntN(3000)) * time.Millisecond)
	for _, pid := range pids {
		_ = syscall.Kill(pid, syscall.SIGCONT)
	}
	return time.Now()
}

// answered waits until a change is taken again, and notes how long that took.
func (s *soaking) answered(began time.Time) {
	for time.Since(began) < 90*time.Second {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		s.probes++
		_, err := s.c.Put(ctx, "", []byte(scenario("probe", s.probes)), false)
		cancel()
		if err == nil {
			s.r.Back = append(s.r.Back, time.Since(began))
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	s.t.Fatalf("it did not come back:\n%s", s.p.Log())
}

// use is how much memory a service takes, and how many files it has open.
func use(t testing.TB, p *running.Process) (memory int64, files int) {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.Pid()))
	if err != nil {
		t.Error(err)
	}
	for line := range strings.Lines(string(b)) {
		if rest, ok := strings.CutPrefix(line, "VmRSS:"); ok {
			kib, _ := strconv.ParseInt(strings.Fields(rest)[0], 10, 64)
			memory = kib << 10
		}
	}
	list, _ := os.ReadDir(fmt.Sprintf("/proc/%d/fd", p.Pid()))
	return memory, len(list)
}

// at is a quantile of times that are in order.
func at(list []time.Duration, q float64) time.Duration {
	if len(list) == 0 {
		return 0
	}
	return list[min(int(q*float64(len(list))), len(list)-1)]
}

// Table is the result as a table of Markdown.
func (r *Result) Table() string {
	var b strings.Builder
	row := func(what, value string) { fmt.Fprintf(&b, "| %s | %s |\n", what, value) }
	ms := func(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }
	mib := func(n int64) string { return fmt.Sprintf("%.0f MiB", float64(n)/(1<<20)) }
	b.WriteString("| what | |\n|---|---|\n")
	crashes := 0
	var kinds []string
	for k, n := range r.Crashes {
		crashes += n
		kinds = append(kinds, fmt.Sprintf("%d %s", n, k))
	}
	slices.Sort(kinds)
	row("crashes", fmt.Sprintf("%d: %s", crashes, strings.Join(kinds, ", ")))
	if r.NoDisk != "" {
		row("disk full", r.NoDisk)
	}
	row("acknowledged", fmt.Sprintf("%d changes of documents, %d runs told of, %d simulations", r.Changes, r.Runs, r.Simulations))
	row("**lost**", strconv.Itoa(r.Lost))
	row("**doubled**", strconv.Itoa(r.Doubled))
	row("a line of the audit for each change", map[bool]string{true: "yes", false: "no"}[r.Audited])
	row("outcomes of the same bytes", map[bool]string{true: "all", false: "not all"}[r.Lost == 0])
	row("takes changes again after a crash", fmt.Sprintf("half within %s, 95 %% within %s, all within %s", ms(at(r.Back, .5)), ms(at(r.Back, .95)), ms(at(r.Back, 1))))
	row("reads that were answered", fmt.Sprintf("%d: half within %s, 99 %% within %s, all within %s", len(r.Reads), ms(at(r.Reads, .5)), ms(at(r.Reads, .99)),
		ms(at(r.Reads, 1))))
	row("requests that came to nothing", strconv.Itoa(r.Failed))
	row("memory of the service", fmt.Sprintf("%s at the start, %s at the end", mib(r.MemoryStart), mib(r.MemoryEnd)))
	row("open files of the service", fmt.Sprintf("%d at the start, %d at the end", r.FilesStart, r.FilesEnd))
	row("took", r.Took.Round(time.Second).String())
	return b.String()
}
