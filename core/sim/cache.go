package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A warmth says what a job found of its workspace.
type warmth uint8

const (
	nothing warmth = iota // no entry: all of the cold work is done
	outdated
	fresh
)

// entry is what one scope has in the store.
type entry struct {
	there   bool
	version int32 // of the dependencies in it
	saves   uint32
	size    units.Bytes
	saved   units.Duration
	used    units.Duration
}

// volume is a disk that holds the workspace of a scope.
type volume struct {
	there   bool
	taken   bool
	version int32
	node    int32 // that it is attached to; -1 before the first
}

// kept is a workspace left on a node.
type kept struct {
	scope, version int32
	size           units.Bytes
	used           units.Duration
}

// cache is the state of every workspace cache.
type cache struct {
	// versions are, by job, the version of the dependencies that it builds with: the
	// changes on the trunk up to it, or one of its own below 0 for a change request
	// that changes them. They do not depend on the design.
	versions []int32
	entries  []entry     // by scope
	volumes  [][]volume  // by scope
	waiting  [][]int32   // by scope: agents that wait for a volume, in order
	stored   units.Bytes // in the store now
	since    units.Duration
}

func newCache(e *engine) cache {
	w := e.w
	if len(w.Scopes) == 0 {
		return cache{}
	}
	c := cache{versions: make([]int32, len(e.jobs.List)), entries: make([]entry, len(w.Scopes)), volumes: make([][]volume, len(w.Scopes)), waiting: make([][]int32, len(w.Scopes))}
	for s, scope := range w.Scopes {
		if w.Rules[scope.Rule].Plan != document.Volume {
			continue
		}
		for range w.Rules[scope.Rule].Copies {
			c.volumes[s] = append(c.volumes[s], volume{node: -1})
		}
	}
	trunk := make([]int32, len(w.Scopes))
	for j := range e.jobs.List {
		job := &e.jobs.List[j]
		class := &w.Classes[job.Class]
		if class.scope < 0 {
			continue
		}
		changed := class.change > 0 && e.root.For(chance.Change, uint64(j), 0).Uniform() < class.change
		switch {
		case changed && job.Change:
			c.versions[j] = -int32(j) - 1
		case changed:
			trunk[class.scope]++
			fallthrough
		default:
			c.versions[j] = trunk[class.scope]
		}
	}
	return c
}

// coldWork is what a job's cold work comes to with what it found.
func (e *engine) coldWork(j int32, class *Class, found warmth) units.Duration {
	if found == fresh {
		return 0
	}
	d := e.draw(class.cold, chance.Cold, uint64(j))
	if found == outdated {
		d = units.Duration(float64(d) * (1 - class.partial))
	}
	return d
}

// beginRestore brings agent a's job its workspace, as its class's plan says.
func (e *engine) beginRestore(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	if class.rule < 0 {
		e.beginWork(a)
		return
	}
	switch e.w.Rules[class.rule].Plan {
	case document.Archive:
		g.run.step = asking
		e.later(a, e.w.Links.Store.Latency, restoreStep)
	case document.Volume:
		e.askVolume(a, class.scope)
	case document.NodeDisk:
		g.run.warmth = e.onNode(g.node, class.scope, e.cache.versions[g.job])
		e.beginWork(a)
	}
}

// restoreStep goes on with a restore.
func (e *engine) restoreStep(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	switch g.run.step {
	case asking:
		x := &e.cache.entries[class.scope]
		e.request()
		if !x.there {
			e.trace.Cache.Misses++
			e.beginWork(a)
			return
		}
		x.used = e.now
		g.run.warmth = outdated
		if x.version == e.cache.versions[g.job] {
			g.run.warmth = fresh
			e.trace.Cache.Hits++
		} else {
			e.trace.Cache.Stale++
		}
		g.run.step = carrying
		e.send(storeDown, x.size, a, -1)
	case attaching:
		e.beginWork(a)
	case unpacking:
		e.beginWork(a)
	}
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

// beginSave keeps the workspace of a job that succeeded, as its class's plan
// says, and reports whether that takes time.
func (e *engine) beginSave(a int32) bool {
	g := &e.agents[a]
	job := &e.jobs.List[g.job]
	class := &e.w.Classes[job.Class]
	if class.rule < 0 {
		return false
	}
	rule, version := &e.w.Rules[class.rule], e.cache.versions[g.job]
	switch rule.Plan {
	case document.Volume:
		v := &e.cache.volumes[class.scope][g.run.volume]
		v.there, v.version = true, version
	case document.NodeDisk:
		e.leaveOnNode(g.node, kept{class.scope, version, e.archiveSize(g.job, class), e.now})
	case document.Archive:
		if job.Change && rule.SavedBy == document.ByTrunk || !e.due(rule, &e.cache.entries[class.scope], version) {
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

func (e *engine) archiveSize(j int32, class *Class) units.Bytes {
	return units.Bytes(e.draw(class.archive, chance.Archive, uint64(j)))
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
	e.send(storeUp, e.archiveSize(g.job, &e.w.Classes[e.jobs.List[g.job].Class]), a, -1)
}

// sent enters a saved archive into the store.
func (e *engine) sent(a int32, size units.Bytes) {
	g := &e.agents[a]
	scope := e.w.Classes[e.jobs.List[g.job].Class].scope
	if p := e.w.Store.SaveFails; p > 0 && e.root.For(chance.SaveFails, uint64(g.job), 0).Uniform() < p {
		e.trace.Cache.FailedSaves++
	} else {
		e.enter(scope, e.cache.versions[g.job], size)
	}
	e.wipe(a)
}

// enter puts an entry into the store, making room by dropping those unused for
// longest; one larger than the store is not kept.
func (e *engine) enter(scope, version int32, size units.Bytes) {
	x := &e.cache.entries[scope]
	e.remove(x)
	room := e.w.Store.Size
	if room > 0 && size > room {
		e.trace.Cache.Refused++
		return
	}
	for room > 0 && e.cache.stored+size > room {
		var oldest *entry
		for i := range e.cache.entries {
			if y := &e.cache.entries[i]; y.there && (oldest == nil || y.used < oldest.used) {
				oldest = y
			}
		}
		e.remove(oldest)
		e.trace.Cache.PushedOut++
	}
	e.keep(size)
	*x = entry{there: true, version: version, saves: x.saves + 1, size: size, saved: e.now, used: e.now}
	e.trace.Cache.Saves++
	if d := e.w.Rules[e.w.Scopes[scope].Rule].Expires; d > 0 {
		e.queue.plan(e.now+d, entryExpires, scope, x.saves)
	}
}

func (e *engine) remove(x *entry) {
	if x.there {
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
func (e *engine) entryExpires(scope int32, save uint32) {
	if x := &e.cache.entries[scope]; x.there && x.saves == save {
		e.remove(x)
		e.trace.Cache.Expired++
	}
}

// askVolume gives agent a the scope's volume that serves it best, or has it wait
// for one to be free.
func (e *engine) askVolume(a, scope int32) {
	g := &e.agents[a]
	version, best, top := e.cache.versions[g.job], int32(-1), -1
	for i := range e.cache.volumes[scope] {
		v := &e.cache.volumes[scope][i]
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
	if best < 0 {
		g.run.step = waitingForVolume
		e.cache.waiting[scope] = append(e.cache.waiting[scope], a)
		return
	}
	v := &e.cache.volumes[scope][best]
	e.trace.spanTo(g.job, e.now, VolumeTaken, -1)
	v.taken, g.run.volume = true, best
	switch {
	case !v.there:
		e.trace.Cache.Misses++
	case v.version == version:
		g.run.warmth = fresh
		e.trace.Cache.Hits++
	default:
		g.run.warmth = outdated
		e.trace.Cache.Stale++
	}
	g.run.step = attaching
	var d units.Duration
	if v.node != g.node {
		d = e.draw(e.w.attach, chance.Attach, uint64(g.job))
	}
	v.node = g.node
	e.later(a, d, restoreStep)
}

// releaseVolume gives agent a's volume to the next that waits for one, or ends
// its waiting.
func (e *engine) releaseVolume(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	if class.scope < 0 || e.cache.volumes[class.scope] == nil {
		return
	}
	list := e.cache.waiting[class.scope]
	if g.run.volume < 0 {
		for i, b := range list {
			if b == a {
				e.cache.waiting[class.scope] = append(list[:i], list[i+1:]...)
				break
			}
		}
		return
	}
	e.cache.volumes[class.scope][g.run.volume].taken = false
	g.run.volume = -1
	if len(list) > 0 {
		next := list[0]
		e.cache.waiting[class.scope] = append(list[:0], list[1:]...)
		e.askVolume(next, class.scope)
	}
}

// onNode says what a node still has of a scope's workspace.
func (e *engine) onNode(n, scope, version int32) warmth {
	for i := range e.nodes[n].kept {
		if k := &e.nodes[n].kept[i]; k.scope == scope {
			k.used = e.now
			if k.version == version {
				e.trace.Cache.Hits++
				return fresh
			}
			e.trace.Cache.Stale++
			return outdated
		}
	}
	e.trace.Cache.Misses++
	return nothing
}

// leaveOnNode leaves a workspace on a node; above the node's room for them those
// unused for longest go.
func (e *engine) leaveOnNode(n int32, k kept) {
	node := &e.nodes[n]
	sum, at := k.size, -1
	for i, x := range node.kept {
		if x.scope == k.scope {
			at = i
		} else {
			sum += x.size
		}
	}
	if at >= 0 {
		node.kept[at] = k
	} else {
		node.kept = append(node.kept, k)
	}
	room := e.w.Pools[node.pool].cacheDisk
	for room > 0 && sum > room {
		oldest := 0
		for i, x := range node.kept {
			if x.used < node.kept[oldest].used {
				oldest = i
			}
		}
		sum -= node.kept[oldest].size
		node.kept = append(node.kept[:oldest], node.kept[oldest+1:]...)
		e.trace.Cache.PushedOut++
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

// A CacheCount counts what a run's caches did. Bytes, requests and what was kept
// are those within the window of the figures; the others are of the whole run.
type CacheCount struct {
	Hits, Stale, Misses int64
	Saves, FailedSaves  int64
	Refused             int64 // archives larger than the store
	PushedOut, Expired  int64
	Requests            int64
	Kept                units.Kept // in the store
}
