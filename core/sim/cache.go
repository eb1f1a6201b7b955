package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A warmth says what a job found of its workspace.
type warmth uint8

const (
	nothing warmth = iota // no entry: all of the cold work is done
	outdated
	fresh
)

// cache is the state of every workspace cache.
type cache struct {
	// versions are, by job, the version of the dependencies that it builds with: the
	// changes on the trunk up to it, or one of its own below 0 for a change request
	// that changes them.
	versions []int32
	trunk    []int32            // by class, the first of those that share dependencies: their version now
	shares   [][]int32          // by class: those that share its dependencies
	changes  [][]units.Duration // by scope: when the trunk's dependencies changed
	entries  []entry            // by scope, and behind them those of change requests
	branches branches
	volumes  [][]volume  // by scope
	waiting  [][]int32   // by scope: agents that wait for a volume, in order
	stored   units.Bytes // in the store now
	since    units.Duration

	uncounted ClassCache // where jobs outside the window are counted
}

func newCache(e *engine) cache {
	w := e.w
	e.trace.Cache.Classes = make([]ClassCache, len(w.Classes))
	if len(w.Scopes) == 0 {
		return cache{}
	}
	e.trace.ReadFrom, e.trace.SavedAs = make([]int32, len(e.jobs.List)), map[int32]int32{}
	for j := range e.trace.ReadFrom {
		e.trace.ReadFrom[j] = -1
	}
	c := cache{
		versions: make([]int32, len(e.jobs.List)), entries: make([]entry, len(w.Scopes)), volumes: make([][]volume, len(w.Scopes)),
		waiting: make([][]int32, len(w.Scopes)), changes: make([][]units.Duration, len(w.Scopes)),
		shares: w.ShareDependencies(), trunk: make([]int32, len(w.Classes)),
	}
	for s := range w.Scopes {
		c.entries[s].scope = int32(s)
	}
	for s, scope := range w.Scopes {
		if w.Rules[scope.Rule].Plan != document.Volume {
			continue
		}
		for range w.Rules[scope.Rule].Copies {
			c.volumes[s] = append(c.volumes[s], volume{node: -1})
		}
	}
	return c
}

// submitted notes the version of the dependencies that job j builds with: the trunk's as
// of now, which it may move on, or one of its own. Jobs come in the order of their
// submission.
func (e *engine) submitted(j int32) {
	c, job := &e.cache, &e.jobs.List[j]
	class := &e.w.Classes[job.Class]
	if class.Scope < 0 {
		return
	}
	of := c.shares[job.Class]
	changed := class.Change > 0 && e.root.For(chance.Change, job.Key, 0).Uniform() < class.Change
	if job.Change && e.w.Rules[class.Rule].Scope == document.ByBranch {
		c.versions[j] = e.buildsRequest(j, of[0], changed)
		return
	}
	if changed && job.Change {
		c.versions[j] = -j - 1
		return
	}
	if changed {
		c.trunk[of[0]]++
		last := int32(-1)
		for _, k := range of {
			if s := e.w.Classes[k].Scope; s >= 0 && s != last {
				c.changes[s] = append(c.changes[s], job.Submitted)
				last = s
			}
		}
	}
	c.versions[j] = c.trunk[of[0]]
}

// found counts what job j found, an entry with a version of the dependencies or none.
func (e *engine) found(j int32, there bool, entry int32) warmth {
	of, all := e.countOf(j), &e.trace.Cache
	switch {
	case !there:
		all.Misses++
		of.Misses++
		return nothing
	case entry == e.cache.versions[j]:
		all.Hits++
		of.Hits++
		return fresh
	default:
		all.Stale++
		of.Stale++
		return outdated
	}
}

// countOf is where what the cache does for job j is counted: with its class when it
// was submitted within the window, or nowhere.
func (e *engine) countOf(j int32) *ClassCache {
	job := &e.jobs.List[j]
	if job.Submitted < e.w.Plan.Warmup || job.Submitted >= e.w.Plan.Span {
		return &e.cache.uncounted
	}
	return &e.trace.Cache.Classes[job.Class]
}

// coldWork is what a job's cold work comes to with what it found.
func (e *engine) coldWork(j int32, class *world.Class, found warmth) units.Duration {
	if found == fresh {
		return 0
	}
	d := e.drawFor(class.Cold, chance.Cold, j)
	if found == outdated {
		d = units.Duration(float64(d) * (1 - class.Partial))
	}
	return d
}

// beginRestore brings agent a's job its workspace, as its class's plan says.
func (e *engine) beginRestore(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	if class.Rule < 0 {
		e.beginWork(a)
		return
	}
	switch e.w.Rules[class.Rule].Plan {
	case document.Archive:
		g.run.step = asking
		e.later(a, e.w.Links.Store.Latency, restoreStep)
	case document.Volume:
		e.askVolume(a, class.Scope)
	case document.NodeDisk:
		g.run.warmth = e.onNode(g.job, g.node, class.Scope)
		e.beginWork(a)
	case document.Baked:
		g.run.warmth = e.inImage(g, class.Scope)
		e.beginWork(a)
	}
}

// restoreStep goes on with a restore.
func (e *engine) restoreStep(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	switch g.run.step {
	case asking:
		x := &e.cache.entries[e.entryOf(g.job, class.Scope, false)]
		e.request()
		g.run.warmth = e.found(g.job, x.there, x.version)
		e.readEntry(g.job, x, g.run.warmth)
		if !x.there {
			e.beginWork(a)
			return
		}
		x.used = e.now
		e.countOf(g.job).Down.Add(x.size)
		g.run.step = carrying
		e.send(StoreDown, x.size, a, -1)
	case attaching, unpacking:
		e.beginWork(a)
	case awaitingTool:
		e.trace.spanTo(g.job, e.now, AwaitsTool, -1)
		e.beginWork(a)
	}
}

// keepsWorkspace reports whether a job that ended so keeps its workspace.
func (e *engine) keepsWorkspace(j int32, result Result) bool {
	class := &e.w.Classes[e.jobs.List[j].Class]
	if e.w.Rules[class.Rule].AfterFailure {
		return true
	}
	return result == Succeeded && (class.Red == 0 || e.root.For(chance.Red, e.jobs.List[j].Key, 0).Uniform() >= class.Red)
}

// beginSave keeps the workspace of a job, as its class's plan says and how it ended, and
// reports whether that takes time.
func (e *engine) beginSave(a int32, result Result) bool {
	g := &e.agents[a]
	job := &e.jobs.List[g.job]
	class := &e.w.Classes[job.Class]
	if class.Rule < 0 || !e.keepsWorkspace(g.job, result) {
		return false
	}
	rule, version := &e.w.Rules[class.Rule], e.cache.versions[g.job]
	switch rule.Plan {
	case document.Volume:
		if g.run.volume < 0 {
			return false
		}
		v := &e.cache.volumes[class.Scope][g.run.volume]
		v.there, v.version = true, version
	case document.NodeDisk:
		e.leaveOnNode(g.node, kept{class.Scope, version, e.archiveSize(g.job, class), e.now})
	case document.Archive:
		if job.Change && rule.SavedBy == document.ByTrunk && rule.Scope != document.ByBranch ||
			!e.due(rule, &e.cache.entries[e.entryOf(g.job, class.Scope, true)], version) {
			return false
		}
		g.run.step = packing
		var d units.Duration
		if r := e.w.Store.Pack; r > 0 {
			d = r.Time(e.archiveSize(g.job, class))
		}
		e.later(a, d, saveStep)
		return true
	}
	return false
}

// A CacheCount counts what a run's caches did. Bytes, requests and what was kept
// are those within the window of the figures; the others are of the whole run.
type CacheCount struct {
	Hits, Stale, Misses int64
	Saves, FailedSaves  int64
	Refused             int64 // archives larger than the store
	PushedOut, Expired  int64
	Requests            int64
	Kept                units.Kept // in the store
	Classes             []ClassCache
}

// A ClassCache counts what the caches did for the jobs of one class that were
// submitted within the window.
type ClassCache struct {
	Hits, Stale, Misses int64
	Saves               int64
	Down, Up            units.Sum[units.Bytes]
}
