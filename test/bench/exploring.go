package main

import (
	"fmt"
	"runtime"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// exploring measures 500 variants of a design, one repeat each, a hundred thousand jobs with
// caching, spot nodes and shared CPU, on so many cores; and beside it the bare runs of as many, to
// tell what making variants and reading their runs adds.
func exploring(cores int) error {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
	in, err := worlds.Read(worlds.FullDays(), "")
	if err != nil {
		return err
	}
	aims := []string{"95 % of all jobs start within 60s", "95 % of wide start within 3m", "no job fails for memory"}
	shards, err := explore.AskShards(aims, in)
	if err != nil {
		return err
	}
	const wide, spare, shrink = 10, 10, 5
	var list [][]document.Changes
	for i := range wide {
		for j := range spare {
			for k := range shrink {
				set := func(path string, value any) document.Edit { return document.Edit{Op: "add", Path: path, Value: value} }
				list = append(list, []document.Changes{{Kind: document.KindScenario, Name: in.Scenario.Name, Edits: []document.Edit{
					set("/spec/templates/0/agents/ceiling", 100+10*i), set("/spec/templates/0/agents/spare", j),
					set("/spec/nodes/growth/shrinkAfter", fmt.Sprintf("%dm", 3+3*k)),
				}}})
			}
		}
	}
	began := time.Now()
	if err := sim.Each(cores, len(list), func(i int) error {
		_, err := shards.Say(list[i], 0)
		return err
	}); err != nil {
		return err
	}
	took := time.Since(began)
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return err
	}
	jobs, err := w.Jobs(w.Plan.Seed, 0)
	if err != nil {
		return err
	}
	const bare = 20
	began = time.Now()
	for range bare {
		if _, err := sim.RunJobs(w, jobs, w.Plan.Seed, 0, nil); err != nil {
			return err
		}
	}
	each := time.Since(began).Seconds() / bare
	fmt.Printf("exploring: %d variants of %d jobs, one repeat each, on %d cores\n", len(list), len(jobs.List), cores)
	fmt.Printf("  %.1f s, %.0f ms of a core a variant; the scenario's own run alone takes %.0f ms\n", took.Seconds(),
		1e3*took.Seconds()*float64(cores)/float64(len(list)), 1e3*each)
	return nil
}
