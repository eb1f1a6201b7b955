package main

import (
	"fmt"
	"os/exec"
	"runtime"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// python is Debian's, which has SimPy as a package: python3-simpy3.
const python = "/usr/bin/python3"

// beside measures the month's engine and the agents-only model in SimPy in turn.
func beside(month *world.World) error {
	if exec.Command(python, "-c", "import simpy").Run() != nil {
		fmt.Println("beside SimPy: not measured; install Debian's python3-simpy3")
		return nil
	}
	jobs, err := month.Jobs(1, 0)
	if err != nil {
		return err
	}
	var ours, theirs []float64
	for range 3 {
		out, err := exec.Command(python, "test/bench/agents.py", "200000").Output()
		if err != nil {
			return fmt.Errorf("the model in SimPy: %w", err)
		}
		rate, err := strconv.ParseFloat(strings.TrimSpace(string(out)), 64)
		if err != nil {
			return err
		}
		theirs = append(theirs, rate)
		runtime.GC()
		began := time.Now()
		if _, err := sim.RunJobs(month, jobs, 1, 0, nil); err != nil {
			return err
		}
		ours = append(ours, float64(len(jobs.List))/time.Since(began).Seconds())
	}
	fmt.Printf("beside SimPy 3 (agents only, no nodes): %.0f jobs/s; the engine with the month's nodes and images %.0f jobs/s: "+
		"%.1f times as fast\n\n",
		median(theirs), median(ours), median(ours)/median(theirs))
	return nil
}

// workers measures what a second core brings to repeats.
func workers() error {
	w, err := worlds.Demo("cached")
	if err != nil {
		return err
	}
	w.Plan.Repeats = 32
	runtime.GOMAXPROCS(2)
	defer runtime.GOMAXPROCS(1)
	var one, two []float64
	for range 3 {
		for n, into := range map[int]*[]float64{1: &one, 2: &two} {
			runtime.GC()
			began := time.Now()
			if _, _, err := outcome.Simulate(w, n, nil); err != nil {
				return err
			}
			*into = append(*into, time.Since(began).Seconds())
		}
	}
	fmt.Printf("32 repeats of the demo's cached week: %.2f s on one worker, %.2f s on two: %.2f times as fast\n\n", median(one),
		median(two), median(one)/median(two))
	return nil
}
