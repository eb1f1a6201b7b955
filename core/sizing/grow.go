package sizing

import (
	"fmt"

	"tachyphor/core/fleet"
	"tachyphor/core/units"
)

// chosen is the request that an advice comes to: its bound, a trial where kills leave
// none, or today's where runs are too few; never less than was seen without a kill.
func chosen(a PeakAdvice, today units.Bytes) units.Bytes {
	switch {
	case a.Request > 0:
		return a.Request
	case a.Trial > 0:
		return a.Trial
	}
	return max(today, a.AtLeast)
}

// Where kills leave no bound, a size to try is a quarter more than what killed runs
// reached, and up to half more where that costs nothing.
const mostTrial = 1.5

func (m *PeakAdvice) leastTrial() units.Bytes { return max(roundUp(m.Least+m.Least/4), m.AtLeast) }

// trial says what size to try where kills leave no bound.
func (a *arena) trial(m *PeakAdvice) {
	if m.Request > 0 || m.Least == 0 {
		return
	}
	m.Trial = m.leastTrial()
}

// mostRoom is how far above the most that was seen a bound is raised where that costs
// nothing.
const mostRoom = 1.25

// grow raises the best memory and disk as far as leaves as many agents on a node: CPU
// or another resource fills it first, and what lies idle beside it protects from kills
// for nothing. A trial grows to half more than what killed runs reached, a bound to a
// quarter more than the most that was seen.
func (a *arena) grow(ad *Advice) {
	b := &ad.Best
	a.raise(b, &b.Memory, &ad.Memory, "memory")
	a.raise(b, &b.Disk, &ad.Disk, "disk")
}

// raise raises one amount of a point in steps of the grain.
func (a *arena) raise(b *Point, amount *units.Bytes, m *PeakAdvice, what string) {
	top := mostRoom * float64(m.Most)
	switch {
	case m.Trial > 0:
		top = mostTrial * float64(m.Least)
	case m.Request == 0:
		return // it stays as it was, or at what was seen
	}
	from := *amount
	for float64(*amount+grain) <= top {
		*amount += grain
		if a.holds(b.CPU, b.Memory, b.Disk) < b.Agents {
			*amount -= grain
			break
		}
	}
	need := a.need(b.CPU, b.Memory, b.Disk)
	b.Pod = fleet.Amounts{CPU: need.CPU, Memory: need.Memory, Disk: need.Disk}
	switch {
	case m.Trial > 0:
		m.Trial = *amount
		m.Words = append(m.Words, fmt.Sprintf("%s is a size to try: %.0f %% more than what they reached, and no more than leaves "+
			"%d agents on a node. After %s runs without a kill a bound can be told.",
			m.Trial.Short(), 100*(float64(m.Trial)/float64(m.Least)-1), b.Agents, units.Count(int64(m.Needs))))
	case *amount > from:
		m.Roomy = *amount
		m.Words = append(m.Words, fmt.Sprintf("%s of %s costs no more, %d agents go on a node either way: that is %s the most that was seen, %s.",
			m.Roomy.Short(), what, b.Agents, above(float64(m.Roomy)/float64(m.Most)), m.Most.Short()))
	}
}
