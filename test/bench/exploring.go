package main

import (
	"errors"
	"fmt"
	"runtime"
	"slices"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// manyVariants is a sweep of 500 variants.
const manyVariants = `
apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: many}
spec:
  scenario: month
  knobs:
    - {at: Scenario/spec/templates/wide/agents/ceiling, from: 100, to: 190, by: 10}
    - {at: Scenario/spec/templates/wide/agents/spare, from: 0, to: 9}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [3m, 6m, 9m, 12m, 15m]}
  aims: [95 % of all jobs start within 60s, 95 % of wide start within 3m, no job fails for memory]
`

// exploring measures the variants of a design, one repeat each, a hundred thousand jobs with
// caching, spot nodes and shared CPU, on so many cores, as shards are computed; and beside it the
// bare runs of as many, to tell what making variants and reading their runs adds.
func exploring(cores int) error {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
	in, err := worlds.Read(worlds.FullDays(), "")
	if err != nil {
		return err
	}
	docs, faults := document.Parse("many", []byte(manyVariants))
	if err := faults.Err(); err != nil {
		return err
	}
	spec := docs[0].Value.(*document.Sweep).Spec
	question, err := explore.Ask("many", spec, in)
	if err != nil {
		return err
	}
	worker, err := explore.AskShards(spec.Aims, in)
	if err != nil {
		return err
	}
	enough := errors.New("measured")
	var took time.Duration
	variants := 0
	_, err = question.Answer(explore.Way{Workers: cores, Elsewhere: func(shards []explore.Shard, _ func(int) error, said func(int, []explore.Run) error) error {
		if variants >= 500 { // all have had their first block
			return enough
		}
		began := time.Now()
		err := sim.Each(cores, len(shards), func(i int) error {
			one := shards[i]
			one.Repeats = one.Repeats[:1]
			runs, err := worker.Run(one, nil)
			if err != nil {
				return err
			}
			return said(i, slices.Repeat(runs, len(shards[i].Repeats))) // one repeat is measured, and stands for all
		})
		took += time.Since(began)
		variants += len(shards)
		return err
	}})
	if !errors.Is(err, enough) {
		return err
	}
	return told(in, cores, variants, took)
}

// told measures the scenario's own run and tells of both.
func told(in world.Input, cores, variants int, took time.Duration) error {
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return err
	}
	jobs, err := w.Jobs(w.Plan.Seed, 0)
	if err != nil {
		return err
	}
	const bare = 20
	began := time.Now()
	for range bare {
		if _, err := sim.RunJobs(w, jobs, w.Plan.Seed, 0, nil); err != nil {
			return err
		}
	}
	each := time.Since(began).Seconds() / bare
	fmt.Printf("exploring: %d variants of %d jobs, one repeat each, on %d cores\n", variants, len(jobs.List), cores)
	fmt.Printf("  %.1f s, %.0f ms of a core a variant; the scenario's own run alone takes %.0f ms\n", took.Seconds(),
		1e3*took.Seconds()*float64(cores)/float64(variants), 1e3*each)
	return nil
}
