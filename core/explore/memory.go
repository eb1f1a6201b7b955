package explore

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
)

// A Memory keeps what single runs said, so that none is computed twice: not by another sweep that
// overlaps, nor after a process died over it.
type Memory interface {
	// Recall returns what is kept under the keys, of those that are known.
	Recall(keys []string) (map[string][]byte, error)
	// Keep keeps what a run said. Several goroutines call it at once.
	Keep(key string, said []byte) error
}

// readAs numbers what is read of a run: it rises when a Run says something else.
const readAs = 2

// foundBy numbers how answers are found: it rises when the same question has another answer.
const foundBy = 6

// By names the way in which answers are found: the same question of the same way has the same
// answer.
func By() string { return fmt.Sprintf("engine %d, read %d, found %d", outcome.Engine, readAs, foundBy) }

// digest names what runs of a world are computed from: the engine, what is read, what all
// documents say, and the aims.
func (q *Question) digest(all []shelf.Named) string {
	h := sha256.New()
	fmt.Fprintf(h, "engine %d, read %d\n", outcome.Engine, readAs)
	for _, a := range q.aims {
		fmt.Fprintf(h, "%s\n", a)
	}
	for _, n := range all {
		for _, d := range n.All() {
			fmt.Fprintf(h, "%s\n", d.Digest)
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}

// key names a run of a world.
func key(digest string, repeat int) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%s %d", digest, repeat))
	return hex.EncodeToString(sum[:])
}

// lasting reports whether the documents tell all that runs hang on: recorded jobs are named by
// what they are, not by a file alone.
func (q *Question) lasting() bool {
	return !slices.ContainsFunc(q.ins, func(in world.Input) bool {
		jobs := in.Workload.Value.(*document.Workload).Spec.Jobs
		return jobs != nil && jobs.Digest == ""
	})
}

// recall takes what is kept of tasks, and returns those that are left to be run.
func (r *runner) recall(tasks []task) (left []task, err error) {
	if r.way.Memory == nil || len(tasks) == 0 {
		return tasks, nil
	}
	keys := make([]string, len(tasks))
	for i, t := range tasks {
		keys[i] = key(r.digests[t.v.key()], t.repeat)
	}
	known, err := r.way.Memory.Recall(keys)
	if err != nil {
		return nil, err
	}
	for i, t := range tasks {
		var out Run
		data, ok := known[keys[i]]
		if !ok || json.Unmarshal(data, &out) != nil || !r.q.tells(&out, t.repeat) {
			left = append(left, t)
			continue
		}
		r.runs[t.v.key()][t.repeat] = out
		r.tell(1)
	}
	return left, nil
}

// keep keeps what a task said.
func (r *runner) keep(t task, said *Run) error {
	if r.way.Memory == nil {
		return nil
	}
	b, err := json.Marshal(said)
	if err != nil {
		return err
	}
	return r.way.Memory.Keep(key(r.digests[t.v.key()], t.repeat), b)
}
