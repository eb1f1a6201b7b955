package worlds

import (
	"fmt"
	"strings"

	"tachyphor/core/world"
)

// A Repair is people who each have one job at a time, and agents that do them: what theory
// knows as machine repair, M/M/c//N. Work is exponential with the mean WorkMean.
type Repair struct {
	People, Agents int
	Think          string // its mean ThinkMean seconds; theory gives the same for every form
	Hours, Repeats int
}

// ThinkMean is the mean time that the people of a Repair think, in seconds.
const ThinkMean = 100.0

// Build returns it as a world.
func (q Repair) Build() (*world.World, error) {
	text := Queue{Agents: q.Agents, Load: 1, Work: Exponential, Hours: q.Hours, Repeats: q.Repeats}.Text()
	from, to := strings.Index(text, "arrivals: {"), strings.Index(text, "]}}")
	return Parse(text[:from]+fmt.Sprintf("arrivals: {people: [{count: %d, think: %s}", q.People, q.Think)+text[to:], "")
}

// Wait is the mean time that a job waits for an agent, in seconds.
// Source: Gross and Harris, Fundamentals of Queueing Theory, finite-source queues.
func (q Repair) Wait() float64 {
	weight, sum, done := 1.0, 1.0, 0.0 // of n jobs at the agents or waiting for them
	for n := 1; n <= q.People; n++ {
		busy := float64(min(n, q.Agents))
		weight *= float64(q.People-n+1) / ThinkMean * WorkMean / busy
		sum += weight
		done += weight * busy / WorkMean
	}
	return float64(q.People)/(done/sum) - ThinkMean - WorkMean
}
