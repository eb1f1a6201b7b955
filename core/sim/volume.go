package sim

import (
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// volume is a disk that holds the workspace of a scope.
type volume struct {
	there   bool
	taken   bool
	version int32
	node    int32 // that it is attached to; -1 before the first
	zone    int32 // that it stays in; 0: it was never attached, or may go anywhere
}

// askVolume gives agent a the scope's volume that serves it best, or has it wait
// for one to be free. Where all are in other zones it does without.
func (e *engine) askVolume(a, scope int32) {
	g := &e.agents[a]
	version, best, top := e.cache.versions[g.job], int32(-1), -1
	zone, some := e.zoneOf(g.node), false
	for i := range e.cache.volumes[scope] {
		v := &e.cache.volumes[scope][i]
		if !v.reaches(zone) {
			continue
		}
		some = true
		if v.taken {
			continue
		}
		points := 0
		if v.there && v.version == version {
			points += 4
		} else if v.there {
			points += 2
		}
		if v.node == g.node {
			points++
		}
		if points > top {
			best, top = int32(i), points
		}
	}
	if !some {
		e.trace.VolumesAway++
		g.run.warmth = e.found(g.job, false, 0)
		e.beginWork(a)
		return
	}
	if best < 0 {
		g.run.step = waitingForVolume
		e.cache.waiting[scope] = append(e.cache.waiting[scope], a)
		return
	}
	v := &e.cache.volumes[scope][best]
	e.trace.spanTo(g.job, e.now, VolumeTaken, -1)
	v.taken, g.run.volume = true, best
	g.run.warmth = e.found(g.job, v.there, v.version)
	g.run.step = attaching
	var d units.Duration
	if v.node != g.node {
		d = e.drawFor(e.w.AttachTime, chance.Attach, g.job)
		if v.node >= 0 {
			d += e.drawFor(e.w.DetachTime, chance.Detach, g.job)
		}
	}
	v.node, v.zone = g.node, zone
	e.later(a, d, restoreStep)
}

// releaseVolume gives agent a's volume to the next that waits for one, or ends
// its waiting.
func (e *engine) releaseVolume(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	if class.Scope < 0 || e.cache.volumes[class.Scope] == nil {
		return
	}
	list := e.cache.waiting[class.Scope]
	if g.run.volume < 0 {
		for i, b := range list {
			if b == a {
				e.cache.waiting[class.Scope] = append(list[:i], list[i+1:]...)
				break
			}
		}
		return
	}
	v := &e.cache.volumes[class.Scope][g.run.volume]
	v.taken, g.run.volume = false, -1
	if i := slices.IndexFunc(list, func(b int32) bool { return v.reaches(e.zoneOf(e.agents[b].node)) }); i >= 0 {
		next := list[i]
		e.cache.waiting[class.Scope] = slices.Delete(list, i, i+1)
		e.askVolume(next, class.Scope)
	}
}
