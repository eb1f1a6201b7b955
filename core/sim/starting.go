package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/units"
	"tachyphor/core/world"
)

// startForJobs starts an agent for every job that has none coming, the job
// submitted first going first among all templates, until ceilings or steps
// stop it.
func (e *engine) startForJobs() {
	for {
		best := int32(-1)
		for _, t := range e.dueNow {
			team := &e.teams[t]
			if team.isBlocked || team.coming >= team.queue.len() {
				continue
			}
			if best < 0 || e.jobBefore(team.queue.at(team.coming).job, e.teams[best].queue.at(e.teams[best].coming).job) {
				best = t
			}
		}
		if best < 0 {
			return
		}
		e.startOne(best)
	}
}

// startOne starts an agent, or notes what forbids it.
func (e *engine) startOne(t int32) bool {
	team, n := &e.teams[t], &e.w.Templates[t].Numbers
	over, quota := e.overQuota(team.form)
	switch {
	case e.backInService(t) >= 0:
		team.blocked, team.isBlocked = OutOfService, true
	case team.numbers.Ceiling >= 0 && team.total >= team.numbers.Ceiling:
		team.blocked, team.isBlocked = AtCeiling, true
	case e.w.AgentCeiling >= 0 && e.total >= e.w.AgentCeiling:
		team.blocked, team.isBlocked = AtAgents, true
	case e.overLimit(t):
		team.blocked, team.isBlocked = AtLimit, true
	case quota:
		team.blocked, team.isBlocked = over, true
	case n.Step > 0 && team.started >= n.Step:
		team.blocked, team.isBlocked = AtStep, true
	default:
		team.started++
		e.newAgent(t)
		return true
	}
	return false
}

// backInService is when a template that is out of service now is so no more; below 0: it is in
// service.
func (e *engine) backInService(t int32) units.Duration {
	list := e.w.Templates[t].Away
	i, _ := slices.BinarySearchFunc(list, e.now, func(a world.Away, now units.Duration) int { return cmp.Compare(a.To, now+1) })
	if i < len(list) && list[i].From <= e.now {
		return list[i].To
	}
	return -1
}

// overLimit reports whether a limit that a template shares with others has no room.
func (e *engine) overLimit(t int32) bool {
	for i := range e.w.Limits {
		l, n := &e.w.Limits[i], 0
		if !slices.Contains(l.Templates, t) {
			continue
		}
		for _, x := range l.Templates {
			n += e.teams[x].total
		}
		if n >= l.Agents {
			return true
		}
	}
	return false
}

// startAhead starts agents for floor and spare.
func (e *engine) startAhead(t int32) {
	team := &e.teams[t]
	for !team.isBlocked && (team.total < team.numbers.Floor || team.free() < team.numbers.Spare) {
		if !e.startOne(t) {
			break
		}
	}
	if team.isBlocked && team.blocked == AtStep {
		e.wake(t, e.now+1)
	}
}
