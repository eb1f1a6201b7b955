package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Change requests may have entries of their own: each is built so many times on average, with the dependencies
// that the trunk had when it began, or its own once it has changed them. Which one a job builds is drawn: a new
// one, or one of the last that were built.

// openRequests is how many change requests of those with the same dependencies are built on.
const openRequests = 20

type branches struct {
	of      map[int32]int32           // by job that builds one: the change request
	open    map[int32][]changeRequest // by class, the first of those that share dependencies
	entries map[branchScope]int32     // of which there is, or was, an entry
	made    int32
}

type changeRequest struct{ id, version int32 }

type branchScope struct{ request, scope int32 }

// buildsRequest draws which change request job j builds, and returns the version of the dependencies that it
// builds with.
func (e *engine) buildsRequest(j, group int32, changes bool) int32 {
	b := &e.cache.branches
	if b.of == nil {
		b.of, b.open, b.entries = map[int32]int32{}, map[int32][]changeRequest{}, map[branchScope]int32{}
	}
	key := e.root.For(chance.Request, e.jobs.List[j].Key, 0)
	list, at := b.open[group], -1
	if n := e.w.Classes[e.jobs.List[j].Class].Builds; len(list) > 0 && key.Uniform() >= 1/n {
		at = min(int(key.For(chance.Request, 0, 1).Uniform()*float64(len(list))), len(list)-1)
	} else {
		list = append(list, changeRequest{b.made, e.cache.trunk[group]})
		b.made++
		if at = len(list) - 1; at == openRequests {
			list, at = list[1:], at-1
		}
	}
	if changes {
		list[at].version = -j - 1
	}
	b.open[group], b.of[j] = list, list[at].id
	return list[at].version
}

// entryOf is the entry that job j reads, or saves into.
func (e *engine) entryOf(j, scope int32, saves bool) int32 {
	if !e.jobs.List[j].Change || e.w.Rules[e.w.Scopes[scope].Rule].Scope != document.ByBranch {
		return scope
	}
	b := &e.cache.branches
	key := branchScope{b.of[j], scope}
	at, ok := b.entries[key]
	switch {
	case ok && (saves || e.cache.entries[at].there):
		return at
	case !saves:
		return scope
	}
	at = int32(len(e.cache.entries))
	e.cache.entries = append(e.cache.entries, entry{scope: scope})
	b.entries[key] = at
	return at
}

// An EntryEnd is how an entry of the store ended.
type EntryEnd uint8

// The ways in which entries end.
const (
	Kept      EntryEnd = iota // it has not
	Replaced                  // a later build saved over it
	PushedOut                 // the store was full
	Expired
)

// EntryEndNames are their names in order.
var EntryEndNames = [...]string{"kept", "replaced", "pushed-out", "expired"}

// An EntryLife is an entry of the store, with the build that saved it.
type EntryLife struct {
	Scope, Job     int32
	Request        bool // it is that of a change request
	Saved, Ended   units.Duration
	Size           units.Bytes
	Readers, Stale int32 // jobs that read it; of them, those for whom it was out of date
	How            EntryEnd
}

// bornEntry notes that a job has saved an entry.
func (e *engine) bornEntry(scope, job, at int32, size units.Bytes) int32 {
	n := int32(len(e.trace.Entries))
	e.trace.Entries = append(e.trace.Entries, EntryLife{Scope: scope, Job: job, Request: int(at) >= len(e.w.Scopes), Saved: e.now, Ended: -1, Size: size})
	e.trace.SavedAs[job] = n
	return n
}

// readEntry notes that a job reads an entry.
func (e *engine) readEntry(j int32, x *entry, found warmth) {
	if !x.there {
		return
	}
	l := &e.trace.Entries[x.life]
	l.Readers++
	if found == outdated {
		l.Stale++
	}
	for int(j) >= len(e.trace.ReadFrom) { // people submit more as they go
		e.trace.ReadFrom = append(e.trace.ReadFrom, -1)
	}
	e.trace.ReadFrom[j] = x.life
}
