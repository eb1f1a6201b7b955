// Package demand holds workloads: jobs recorded or made, and how what they want
// is matched with what templates offer.
package demand

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A Job is one unit of build work that asks for an agent.
type Job struct {
	Submitted units.Duration // since the workload's start, ≥ 0
	// Key is what draws know the job by: that of its name where it is recorded, of its
	// class and the moment that it was drawn for where it is made.
	Key uint64
	// Work is how long the job works when nothing hinders it; below 0 where it
	// is not known and is drawn from the class.
	Work  units.Duration
	Class int32 // index into the workload's classes
	Wants int32 // index into Jobs.Wants
	// Cores are what the job keeps busy; below 0 where its class says.
	Cores  float32
	Change bool // it builds a change request, not the trunk
	Found  Found
}

// Found is what a recorded job had found of its workspace: its time holds the cold work
// that this left it.
type Found uint8

// What a recorded job may have found.
const (
	AsTold     Found = iota // what the workload says of all
	FoundNone               // nothing: all its cold work is in its time
	FoundStale              // an out-of-date cache
	FoundFresh              // a fresh cache: none of it is
)

// foundNames are what the column says.
var foundNames = map[string]Found{"": AsTold, "none": FoundNone, "stale": FoundStale, "warm": FoundFresh}

// Jobs are the jobs of one workload in the order of their submission (ties in
// the order of the source). Jobs are not changed once made and may be shared.
type Jobs struct {
	List  []Job
	Wants [][]string // distinct sets of wants
	ids   []string   // of recorded jobs; nil when made
	// Memory and Disk are the peaks of recorded jobs, below 0 where the class
	// says; nil when no job has one of its own.
	Memory, Disk []units.Bytes
	// after lists the jobs that each job comes after; nil when none does.
	after map[int32][]int32
	// made numbers made jobs within their class.
	made    []int32
	classes []document.JobClass

	// What people submit as a run goes on (people.go).
	people    []Group
	turns     []turn    // by job; nil when nobody has submitted any
	followers [][]int32 // by class: those that follow it, by name
	wants     []int32   // by class: index into Wants
	root      chance.Key
}

// After returns the jobs that job i comes after, ascending.
func (j *Jobs) After(i int) []int32 { return j.after[int32(i)] }

// Chained reports whether any job comes after others.
func (j *Jobs) Chained() bool { return len(j.after) > 0 }

// ID returns the name of job i.
func (j *Jobs) ID(i int) string {
	if j.ids != nil {
		return j.ids[i]
	}
	class := j.classes[j.List[i].Class].Name
	if j.turns != nil && j.turns[i].person > 0 {
		return fmt.Sprintf("%s:%d:%d", class, j.turns[i].person, j.turns[i].nth)
	}
	return fmt.Sprintf("%s-%d", class, j.made[i])
}

// Find returns the index of the job with an id.
func (j *Jobs) Find(id string) (int, bool) {
	if j.ids != nil {
		i := slices.Index(j.ids, id)
		return i, i >= 0
	}
	class, n, made := strings.Cut(id, ":")
	if made {
		return j.findTurn(class, n)
	}
	dash := strings.LastIndexByte(id, '-')
	nth, err := strconv.ParseInt(id[dash+1:], 10, 32)
	if dash < 0 || err != nil {
		return 0, false
	}
	for i, job := range j.List {
		if j.made[i] == int32(nth) && j.classes[job.Class].Name == id[:dash] {
			return i, true
		}
	}
	return 0, false
}

// findTurn finds what somebody submitted by class, person and which of theirs.
func (j *Jobs) findTurn(class, which string) (int, bool) {
	person, nth, _ := strings.Cut(which, ":")
	p, err1 := strconv.ParseInt(person, 10, 32)
	n, err2 := strconv.ParseInt(nth, 10, 32)
	if err1 != nil || err2 != nil || p < 1 {
		return 0, false
	}
	i := slices.Index(j.turns, turn{int32(p), int32(n)})
	for ; i >= 0 && i < len(j.turns); i++ {
		if j.turns[i] == (turn{int32(p), int32(n)}) && j.classes[j.List[i].Class].Name == class {
			return i, true
		}
	}
	return 0, false
}

// wantsTable gives each distinct set of wants a number.
type wantsTable struct {
	sets [][]string
	at   map[string]int32
}

func (t *wantsTable) number(wants []string) int32 {
	if t.at == nil {
		t.at = map[string]int32{}
	}
	key := strings.Join(wants, "\x00")
	n, ok := t.at[key]
	if !ok {
		n = int32(len(t.sets))
		t.sets = append(t.sets, wants)
		t.at[key] = n
	}
	return n
}
