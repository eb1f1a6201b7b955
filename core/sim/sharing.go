package sim

import (
	"tachyphor/core/demand"
	"tachyphor/core/world"
)

// CPU on a node is shared as the kernel shares it: by weights in proportion to
// requests, each no more than it wants and its limit allows, what one leaves going
// to the others (water-filling). Nothing is computed while all get what they want.

// CPU is shared in millionths of a core.
const (
	wholeCore = 1_000_000
	perMilli  = wholeCore / 1000
)

// leastWeight is the weight of an agent that requests no CPU, in thousandths of a
// core: the kernel's smallest share, 2 of 1024.
const leastWeight = 2

// joinCPU begins the work of agent a's job on its node.
func (e *engine) joinCPU(a int32) {
	g := &e.agents[a]
	r, t := &g.run, &e.w.Templates[g.template]
	node := &e.nodes[g.node]
	r.cap = int64(float64(wholeCore*e.cores(g.job)) + 0.5)
	if limit := int64(t.Limit.CPU) * perMilli; limit > 0 {
		r.cap = min(r.cap, limit)
	}
	node.workers = append(node.workers, a)
	node.wanted += r.cap
	e.shareCPU(node)
}

// cores is what a job wants while it works; 0 when that is not known.
func (e *engine) cores(j int32) float64 {
	job := &e.jobs.List[j]
	return coresOf(job, &e.w.Classes[job.Class])
}

func coresOf(job *demand.Job, class *world.Class) float64 {
	if job.Cores >= 0 {
		return float64(job.Cores)
	}
	return class.Cores
}

// leaveCPU ends it.
func (e *engine) leaveCPU(a int32) {
	g := &e.agents[a]
	node := &e.nodes[g.node]
	for i, b := range node.workers {
		if b == a {
			node.workers = append(node.workers[:i], node.workers[i+1:]...)
			break
		}
	}
	node.wanted -= g.run.cap
	e.observeCPU(-g.run.rate)
	g.run.rate = 0
	e.shareCPU(node)
}

// shareCPU gives every job on a node its rate after one has come or gone.
func (e *engine) shareCPU(node *node) {
	room := int64(e.w.Pools[node.pool].Room.CPU) * perMilli
	if node.wanted <= room {
		for _, a := range node.workers {
			e.setRate(a, e.agents[a].run.cap)
		}
		return
	}
	e.fill(node, room)
	for i, a := range node.workers {
		e.setRate(a, e.rates[i])
	}
}

// fill shares out room by water-filling into e.rates, which go with the node's
// workers. Rates are whole millionths of a core, rounded down.
func (e *engine) fill(node *node, room int64) {
	e.rates = e.rates[:0]
	weights := int64(0)
	for _, a := range node.workers {
		e.rates = append(e.rates, -1)
		weights += e.weight(a)
	}
	for again := true; again; {
		again = false
		left, of := room, weights
		for i, a := range node.workers { // those whose share is all they want
			if e.rates[i] >= 0 {
				continue
			}
			if r, w := &e.agents[a].run, e.weight(a); r.cap*of <= left*w {
				e.rates[i] = r.cap
				room -= r.cap
				weights -= w
				again = true
			}
		}
	}
	for i, a := range node.workers {
		if e.rates[i] < 0 {
			e.rates[i] = room * e.weight(a) / weights
		}
	}
}

func (e *engine) weight(a int32) int64 {
	return max(leastWeight, int64(e.w.Templates[e.agents[a].template].Weight))
}

// setRate gives agent a's job a rate and plans its next milestone anew where that
// changes.
func (e *engine) setRate(a int32, rate int64) {
	g := &e.agents[a]
	r := &g.run
	if rate == r.rate && g.ahead > e.now {
		return
	}
	e.settleWork(r)
	e.observeCPU(rate - r.rate)
	r.rate = rate
	r.speed = speed(float64(rate)/wholeCore, e.cores(g.job), e.w.Classes[e.jobs.List[g.job].Class].Parallel)
	e.planWork(a)
}

// speed is the work done in a unit of time by a job that wants c cores and gets
// r ≤ c:
//
//	1 / ( p·c/r + (1−p)·min(1, c)/min(1, r) )
//
// with the share p of its work that runs on all its cores; the rest runs on one.
// A job that gets nothing stands still, and one whose wants are not known is not
// slowed.
func speed(r, c, p float64) float64 {
	switch {
	case c == 0 || r >= c:
		return 1
	case r <= 0:
		return 0
	}
	return 1 / (float64(p*(c/r)) + float64((1-p)*(min(1, c)/min(1, r))))
}

// observeCPU sees how much CPU is in use.
func (e *engine) observeCPU(change int64) {
	if change != 0 {
		e.cpu += change
		line := &e.trace.Lines.CPU[LineUsed]
		line.add(e.now, e.cpu/perMilli-line.value)
	}
}
