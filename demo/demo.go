// Package demo carries the demo world: Brinewell Instruments, whose every name,
// job and price is made up.
package demo

import "embed"

// World holds the demo world's documents and recorded jobs.
//
//go:embed cluster.yaml workload.yaml week-38.csv templates scenarios sweeps
var World embed.FS

// Beside is what stands beside the access kit in the pretended cluster: objects of
// Kubernetes.
//
//go:embed live/beside.yaml
var Beside string

// AsItWent is a log of the week as it went, packed: on a cluster whose burst nodes take longer to
// boot than its facts say.
//
//go:embed as-it-went.csv.gz
var AsItWent []byte

// Scenarios names its scenarios in the order in which they tell their story.
var Scenarios = []string{"fixed-six", "on-demand", "weekday-lean", "cached-naive", "cached", "spot-night"}

// Tested is the scenario that is held beside how the week went.
const Tested = "weekday-lean"

// Went is the first day of that week.
const Went = "2026-09-14"

// Weighed is the scenario whose cache plans are weighed.
const Weighed = "cached-naive"
