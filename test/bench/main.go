// Command bench measures the engine: jobs a second on one core for the demo's
// week and for a million jobs over a month on forty nodes, and beside it, in the
// same run, the same number of events through a bare queue.
//
//	go run ./test/bench
package main

import (
	"fmt"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/pprof"
	"slices"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	runtime.GOMAXPROCS(1)
	if path := os.Getenv("BENCH_PROFILE"); path != "" {
		f, err := os.Create(path)
		if err != nil {
			return err
		}
		if err := pprof.StartCPUProfile(f); err != nil {
			return err
		}
		defer pprof.StopCPUProfile()
	}
	week, err := worlds.Demo("weekday-lean")
	if err != nil {
		return err
	}
	month, err := worlds.Month()
	if err != nil {
		return err
	}
	for _, c := range []struct {
		name string
		w    *sim.World
		runs int
	}{{"the demo's week (weekday-lean)", week, 15}, {"a month, a million jobs, forty nodes", month, 3}} {
		if err := measure(c.name, c.w, c.runs); err != nil {
			return err
		}
	}
	return nil
}

// measure runs a world and the bare queues in turn and prints the medians.
func measure(name string, w *sim.World, runs int) error {
	var drawing, engine, full, preloaded, lean []float64
	var trace *sim.Trace
	for range runs {
		trace = nil
		runtime.GC()
		began := time.Now()
		jobs, err := w.Jobs(1, 0)
		if err != nil {
			return err
		}
		drawing = append(drawing, time.Since(began).Seconds())
		began = time.Now()
		if trace, err = sim.RunJobs(w, jobs, 1, 0, nil); err != nil {
			return err
		}
		engine = append(engine, time.Since(began).Seconds())
		began = time.Now()
		outcome.Measure(trace, 0)
		full = append(full, drawing[len(drawing)-1]+engine[len(engine)-1]+time.Since(began).Seconds())
		events := int(trace.Events + trace.Rounds + trace.Scans)
		runtime.GC()
		preloaded = append(preloaded, bare(len(trace.Records), events, trace.PeakEvents))
		lean = append(lean, bare(0, events, trace.PeakEvents))
	}
	var m runtime.MemStats
	debug.FreeOSMemory()
	runtime.ReadMemStats(&m)
	jobs := float64(len(trace.Records))
	events := float64(trace.Events + trace.Rounds + trace.Scans)
	nodes := 0
	for p := range trace.Lines.Nodes {
		var most int64
		for _, a := range trace.Lines.Nodes[p].Area {
			most = max(most, a/int64(trace.Lines.Width))
		}
		nodes += int(most)
	}
	d, e, f, p, l := median(drawing), median(engine), median(full), median(preloaded), median(lean)
	fmt.Printf("%s: %.0f jobs, %.0f events (%.1f a job), up to %d nodes, %d events planned at once\n", name, jobs, events, events/jobs, nodes, trace.PeakEvents)
	fmt.Printf("  drawing the jobs              %7.3f s\n", d)
	fmt.Printf("  engine                        %7.3f s  %9.0f jobs/s  %4.0f ns an event\n", e, jobs/e, e/events*1e9)
	fmt.Printf("  jobs, engine, all figures     %7.3f s  %9.0f jobs/s\n", f, jobs/f)
	fmt.Printf("  bare queue, arrivals in it    %7.3f s                    %4.0f ns an event   engine ÷ bare queue = %.2f\n", p, p/events*1e9, e/p)
	fmt.Printf("  bare queue, arrivals outside  %7.3f s                    %4.0f ns an event   engine ÷ bare queue = %.2f\n", l, l/events*1e9, e/l)
	fmt.Printf("  memory: %d MiB in use with the trace kept, %d MiB taken from the system\n\n", m.HeapAlloc>>20, m.Sys>>20)
	runtime.KeepAlive(trace)
	return nil
}

func median(list []float64) float64 {
	s := slices.Sorted(slices.Values(list))
	return s[len(s)/2]
}

// item is what a bare queue holds: a moment, an order and what it is about.
type item struct {
	at, order uint64
	subject   uint64
}

func (a item) before(b item) bool { return a.at < b.at || a.at == b.at && a.order < b.order }

// heap is a bare four-ary heap.
type heap []item

func (h *heap) push(e item) {
	*h = append(*h, e)
	q := *h
	i := len(q) - 1
	for i > 0 {
		parent := (i - 1) / 4
		if !e.before(q[parent]) {
			break
		}
		q[i] = q[parent]
		i = parent
	}
	q[i] = e
}

func (h *heap) pop() item {
	q := *h
	first, n := q[0], len(q)-1
	last := q[n]
	*h = q[:n]
	if n == 0 {
		return first
	}
	q = q[:n]
	i := 0
	for {
		best := 4*i + 1
		if best >= n {
			break
		}
		for c := best + 1; c < min(4*i+5, n); c++ {
			if q[c].before(q[best]) {
				best = c
			}
		}
		if !q[best].before(last) {
			break
		}
		q[i] = q[best]
		i = best
	}
	q[i] = last
	return first
}

// bare passes a number of events through a queue: loaded ones are in it from the
// start, as arrivals are in a plain simulation, and it otherwise holds as many
// as the engine held at most; each one taken plans another until all have passed.
func bare(loaded, events, held int) float64 {
	h := make(heap, 0, loaded+held)
	key := chance.Root(1, 0)
	at := func(i int) uint64 { return uint64(key.For(chance.Boot, uint64(i), 0).Uniform() * 1e15) }
	times := make([]uint64, events)
	for i := range times {
		times[i] = at(i)
	}
	began := time.Now()
	n := 0
	for ; n < min(loaded+held, events); n++ {
		h.push(item{at: times[n], order: uint64(n), subject: uint64(n)})
	}
	for len(h) > 0 {
		e := h.pop()
		if n < events {
			h.push(item{at: e.at + times[n]/uint64(events)*uint64(held+1), order: uint64(n), subject: e.subject})
			n++
		}
	}
	return time.Since(began).Seconds()
}
