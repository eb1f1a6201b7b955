package soak

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// A Load is how a service fared under steady reads beside long work.
type Load struct {
	Rate   int             // reads a second that were asked for
	Reads  []time.Duration // that were answered, in order of length
	Failed int
	Memory []int64 // of the service, every tenth of the time, bytes
	Took   time.Duration
}

// Beside ten simulations, so many reads a second for a time.
func loaded(t testing.TB, rate int, length time.Duration) *Load {
	t.Helper()
	state := t.TempDir()
	p, c := running.Serve(t, state, nil)
	ctx := context.Background()
	heavy := strings.Replace(scenario("heavy", 1), "span: 1d", "span: 7d", 1)
	if _, err := c.Put(ctx, "", []byte(world()+"---\n"+heavy), false); err != nil {
		t.Fatal(err)
	}
	o, err := c.Simulate(ctx, "world-0", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil {
		t.Fatal(err)
	}
	stop := make(chan struct{})
	var all sync.WaitGroup
	for range 10 { // ten are there at any time
		all.Go(func() {
			many := 200
			for {
				select {
				case <-stop:
					return
				default:
				}
				w, err := c.Simulate(ctx, "heavy", wire.Run{Repeats: &many})
				if err != nil {
					time.Sleep(time.Second)
					continue
				}
				over := make(chan struct{})
				watch, quit := context.WithCancel(ctx)
				go func() {
					_, _ = c.Watch(watch, w.ID, func(wire.WorkBrief) {})
					close(over)
				}()
				select {
				case <-over:
				case <-stop:
				}
				quit()
				_, _ = c.Cancel(ctx, w.ID)
			}
		})
	}
	time.Sleep(3 * time.Second)
	l := &Load{Rate: rate}
	var mu sync.Mutex
	tick := time.NewTicker(time.Second / time.Duration(rate))
	defer tick.Stop()
	began := time.Now()
	next := time.Duration(0)
	var asked sync.WaitGroup
	for time.Since(began) < length {
		<-tick.C
		if time.Since(began) >= next {
			memory, _ := use(t, p)
			l.Memory = append(l.Memory, memory)
			next += length / 10
		}
		asked.Go(func() {
			at := time.Now()
			var err error
			switch rand.IntN(4) {
			case 0:
				_, err = c.List(ctx, "")
			case 1:
				_, err = c.Get(ctx, document.KindScenario, "world-1", 0)
			case 2:
				_, err = c.Work(ctx, o.ID)
			case 3:
				_, err = c.Outcome(ctx, o.ID, true)
			}
			took := time.Since(at)
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				l.Failed++
				return
			}
			l.Reads = append(l.Reads, took)
		})
	}
	asked.Wait()
	l.Took = time.Since(began)
	close(stop)
	all.Wait()
	slices.Sort(l.Reads)
	p.Stop()
	return l
}

// Table is the result as a table of Markdown.
func (l *Load) Table() string {
	var b strings.Builder
	ms := func(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }
	var memory []string
	for _, m := range l.Memory {
		memory = append(memory, fmt.Sprintf("%d", m>>20))
	}
	fmt.Fprintf(&b, "| what | |\n|---|---|\n| asked | %d reads a second for %s, beside ten simulations |\n| answered | %d; %d came to nothing |\n"+
		"| took | half within %s, 99 %% within %s, 99.9 %% within %s, all within %s |\n| memory of the service, MiB, every tenth of the time | %s |\n",
		l.Rate, l.Took.Round(time.Second), len(l.Reads), l.Failed, ms(at(l.Reads, .5)), ms(at(l.Reads, .99)), ms(at(l.Reads, .999)), ms(at(l.Reads, 1)),
		strings.Join(memory, ", "))
	return b.String()
}
