package sim

import "slices"

// mayGiveUp plans the end of a job's patience when it arrives.
func (e *engine) mayGiveUp(j int32) {
	if d := e.w.Classes[e.jobs.List[j].Class].GiveUp; d > 0 {
		e.queue.plan(e.now+d, patienceEnds, j, 0)
	}
}

// patienceEnds drops a job that has not started.
func (e *engine) patienceEnds(j int32) {
	r := &e.trace.Records[j]
	if r.Started >= 0 {
		return
	}
	team := &e.teams[r.Template]
	if i := slices.Index(team.arrived, j); i >= 0 {
		e.recordArrived(int32(r.Template), i)
		team.arrived = slices.Delete(team.arrived, i, i+1)
		if i < team.looked {
			team.looked--
		}
	} else {
		e.withdraw(r.Template, j)
	}
	r.Result = GaveUp
	e.open--
	e.observeWaiting(-1)
	e.follow(j, GaveUp)
}

// withdraw takes a job out of its template's queue. Its promise passes to the next,
// at the next round.
func (e *engine) withdraw(t int16, j int32) {
	team := &e.teams[t]
	team.lastShort = e.now
	list := team.queue.list[team.queue.head:]
	i := slices.IndexFunc(list, func(w waiting) bool { return w.job == j })
	e.recordQueued(int32(t), i)
	team.queue.list = team.queue.list[:team.queue.head+len(slices.Delete(list, i, i+1))]
	if i < team.promised {
		team.promised--
		e.wake(int32(t), e.now)
	}
}
