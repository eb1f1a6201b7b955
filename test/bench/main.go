// Command bench measures the engine: jobs a second on one core for the demo's
// week and for a million jobs over a month on forty nodes, and beside it, in the
// same run, the same number of events through a bare queue; and checking templates
// beside Kubernetes' own reader.
//
//	go run ./test/bench
package main

import (
	"flag"
	"fmt"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/pprof"
	"slices"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	picture := flag.String("picture", "", "draw how time grows with jobs and nodes into this PNG")
	most := flag.Int("most", 1_000_000, "most jobs to try")
	only := flag.String("only", "", "measure this alone: check, size, weigh, explore, probe, growth")
	program := flag.String("program", "bin/tachyphor", "the program, for what is measured as a process")
	flag.Parse()
	cores := runtime.GOMAXPROCS(1)
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
	switch *only {
	case "check":
		return checking()
	case "size":
		return measureSizing()
	case "weigh":
		return measureWeighing(cores)
	case "explore":
		return exploring(cores)
	case "probe":
		return measureProbe(*program)
	case "growth":
		return scale(*picture, *most)
	}
	week, err := worlds.Demo("weekday-lean")
	if err != nil {
		return err
	}
	month, err := worlds.Month()
	if err != nil {
		return err
	}
	full, err := worlds.FullMonth()
	if err != nil {
		return err
	}
	for _, c := range []struct {
		name string
		w    *world.World
		runs int
	}{
		{"the demo's week (weekday-lean)", week, 15},
		{"a month, a million jobs, forty nodes, agents only", month, 3},
		{"the same with caching, spot nodes and shared CPU", full, 3},
	} {
		if err := measure(c.name, c.w, c.runs); err != nil {
			return err
		}
	}
	if err := checking(); err != nil {
		return err
	}
	if err := measureSizing(); err != nil {
		return err
	}
	if err := measureWeighing(cores); err != nil {
		return err
	}
	if err := exploring(cores); err != nil {
		return err
	}
	if err := measureProbe(*program); err != nil {
		return err
	}
	if err := beside(month); err != nil {
		return err
	}
	if err := workers(); err != nil {
		return err
	}
	return scale(*picture, *most)
}

// measure runs a world and the bare queues in turn and prints the medians.
func measure(name string, w *world.World, runs int) error {
	var drawing, engine, full, preloaded, lean []float64
	var trace *sim.Trace
	var allocations float64
	for range runs {
		trace = nil
		runtime.GC()
		began := time.Now()
		jobs, err := w.Jobs(1, 0)
		if err != nil {
			return err
		}
		drawing = append(drawing, time.Since(began).Seconds())
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began = time.Now()
		if trace, err = sim.RunJobs(w, jobs, 1, 0, nil); err != nil {
			return err
		}
		engine = append(engine, time.Since(began).Seconds())
		began = time.Now()
		outcome.Measure(trace, 0)
		full = append(full, drawing[len(drawing)-1]+engine[len(engine)-1]+time.Since(began).Seconds())
		events := int(trace.Events + trace.Rounds + trace.Scans)
		runtime.ReadMemStats(&after)
		allocations = float64(after.Mallocs-before.Mallocs) / float64(events)
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
			most = max(most, int64(a.Float()/float64(trace.Lines.Width)))
		}
		nodes += int(most)
	}
	d, e, f, p, l := median(drawing), median(engine), median(full), median(preloaded), median(lean)
	fmt.Printf("%s: %.0f jobs, %.0f events (%.1f a job), up to %d nodes, %d events planned at once\n", name, jobs, events, events/jobs,
		nodes, trace.PeakEvents)
	fmt.Printf("  drawing the jobs              %7.3f s\n", d)
	fmt.Printf("  engine                        %7.3f s  %9.0f jobs/s  %4.0f ns an event\n", e, jobs/e, e/events*1e9)
	fmt.Printf("  jobs, engine, all figures     %7.3f s  %9.0f jobs/s\n", f, jobs/f)
	fmt.Printf("  bare queue, arrivals in it    %7.3f s                    %4.0f ns an event   engine ÷ bare queue = %.2f\n", p,
		p/events*1e9, e/p)
	fmt.Printf("  bare queue, arrivals outside  %7.3f s                    %4.0f ns an event   engine ÷ bare queue = %.2f\n", l,
		l/events*1e9, e/l)
	fmt.Printf("  memory: %d MiB in use with the trace kept, %d MiB taken from the system; %.4f allocations an event\n\n", m.HeapAlloc>>20,
		m.Sys>>20, allocations)
	runtime.KeepAlive(trace)
	return nil
}

func median(list []float64) float64 {
	s := slices.Sorted(slices.Values(list))
	return s[len(s)/2]
}
