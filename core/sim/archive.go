package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// entry is what one scope has in the store.
type entry struct {
	scope   int32
	life    int32 // in the trace
	there   bool
	version int32 // of the dependencies in it
	saves   uint32
	size    units.Bytes
	saved   units.Duration
	used    units.Duration
}

// carried unpacks what came from the store.
func (e *engine) carried(a int32, size units.Bytes) {
	g := &e.agents[a]
	g.run.step = unpacking
	var d units.Duration
	if r := e.w.Store.Unpack; r > 0 {
		d = r.Time(size)
	}
	e.later(a, d, restoreStep)
}

func (e *engine) archiveSize(j int32, class *world.Class) units.Bytes {
	return units.Bytes(e.drawFor(class.Archive, chance.Archive, j))
}

// due reports whether the save rule asks for a save over an entry.
func (e *engine) due(rule *document.CacheRule, x *entry, version int32) bool {
	switch rule.Save {
	case document.EverySuccess:
		return true
	case document.WhenChanged:
		return !x.there || x.version != version
	case document.SaveEvery:
		return !x.there || e.now-x.saved >= rule.Every
	default:
		return false
	}
}

// saveStep goes on with a save: packed, the store is asked, then sent to.
func (e *engine) saveStep(a int32) {
	g := &e.agents[a]
	if g.run.step == packing {
		g.run.step = offering
		e.later(a, e.w.Links.Store.Latency, saveStep)
		return
	}
	e.request()
	g.run.step = sending
	size, of := e.archiveSize(g.job, &e.w.Classes[e.jobs.List[g.job].Class]), e.countOf(g.job)
	of.Saves++
	of.Up.Add(size)
	e.send(StoreUp, size, a, -1)
}

// sent enters a saved archive into the store.
func (e *engine) sent(a int32, size units.Bytes) {
	g := &e.agents[a]
	scope := e.w.Classes[e.jobs.List[g.job].Class].Scope
	if p := e.w.Store.SaveFails; p > 0 && e.root.For(chance.SaveFails, e.jobs.List[g.job].Key, 0).Uniform() < p {
		e.trace.Cache.FailedSaves++
	} else {
		e.enter(e.entryOf(g.job, scope, true), g.job, size)
	}
	e.wipe(a)
}

// enter puts an entry into the store, making room by dropping those unused for
// longest; one larger than the store is not kept.
func (e *engine) enter(at, job int32, size units.Bytes) {
	x := &e.cache.entries[at]
	scope, version := x.scope, e.cache.versions[job]
	e.remove(x, Replaced)
	room := e.w.Store.Size
	if room > 0 && size > room {
		e.trace.Cache.Refused++
		return
	}
	for room > 0 && e.cache.stored+size > room {
		oldest := int32(-1)
		for i := range e.cache.entries {
			if y := &e.cache.entries[i]; y.there && (oldest < 0 || e.staler(int32(i), oldest)) {
				oldest = int32(i)
			}
		}
		e.remove(&e.cache.entries[oldest], PushedOut)
		e.trace.Cache.PushedOut++
	}
	e.keep(size)
	*x = entry{scope: scope, life: e.bornEntry(scope, job, at, size), there: true, version: version, saves: x.saves + 1, size: size, saved: e.now, used: e.now}
	e.trace.Cache.Saves++
	if d := e.w.Rules[e.w.Scopes[scope].Rule].Expires; d > 0 {
		e.queue.plan(e.now+d, entryExpires, at, x.saves)
	}
}

// staler reports whether entry a was used longer ago than b, the first by the name of
// its scope, and then by age, of two used last at the same moment.
func (e *engine) staler(a, b int32) bool {
	x, y := &e.cache.entries[a], &e.cache.entries[b]
	if x.used != y.used {
		return x.used < y.used
	}
	m, n := e.w.Scopes[x.scope].Name, e.w.Scopes[y.scope].Name
	return m < n || m == n && a < b
}

func (e *engine) remove(x *entry, how EntryEnd) {
	if x.there {
		l := &e.trace.Entries[x.life]
		l.Ended, l.How = e.now, how
		e.keep(-x.size)
		x.there = false
	}
}

// keep changes what the store holds.
func (e *engine) keep(change units.Bytes) {
	e.trace.Cache.Kept.Add(e.cache.stored, e.clip(e.now)-e.clip(e.cache.since))
	e.cache.since = e.now
	e.cache.stored += change
	e.trace.Lines.Stored.add(e.now, int64(e.cache.stored>>20)-e.trace.Lines.Stored.value)
}

// entryExpires drops the entry that was saved when this was planned.
func (e *engine) entryExpires(at int32, save uint32) {
	if x := &e.cache.entries[at]; x.there && x.saves == save {
		e.remove(x, Expired)
		e.trace.Cache.Expired++
	}
}

// request counts a request to the store.
func (e *engine) request() {
	if e.inWindow() {
		e.trace.Cache.Requests++
	}
}

// inWindow reports whether figures count what happens now.
func (e *engine) inWindow() bool { return e.now >= e.w.Plan.Warmup && e.now < e.w.Plan.Span }
