package sim

import "tachyphor/core/demand"

// A Result is how a job ended.
type Result uint8

// The ways in which a job ends.
const (
	Unfinished  Result = iota // it has not
	Succeeded                 // its work was done
	OutOfMemory               // it needed more memory than its agent may have
	Evicted                   // its agent was taken off a node short of memory
	OutOfDisk                 // it needed more disk than its agent may have
	TimedOut                  // it worked longer than its class may
	TakenBack                 // its spot node was taken back
	Dropped                   // a job that it comes after did not end well
	GaveUp                    // nobody started it in time
	Preempted                 // a pod of higher priority took its agent's room
	Spoiled                   // what earlier jobs had left on its agent made it fail
	NoTool                    // its agent had not the tool that it needs
	Forgotten                 // the controller lost it before it started
	Orphaned                  // the controller lost it when it had
	Results                   // how many there are
)

// ResultNames are the results' names in order.
var ResultNames = [Results]string{
	"unfinished", "succeeded", "out-of-memory", "evicted", "out-of-disk", "timed-out", "taken-back",
	"dropped", "gave-up", "preempted", "spoiled", "no-tool", "forgotten", "orphaned",
}

// String returns the result's name.
func (r Result) String() string { return ResultNames[r] }

// Never reports whether a job that ended so was never started.
func (r Result) Never() bool { return r == Dropped || r == GaveUp || r == Forgotten }

// again reports whether a job has been cut short before.
func (e *engine) again(j int32) bool { return e.trace.Records[j].Lost > 0 }

// cut takes a busy agent away with its job, which runs again where it may. A job
// whose work was done has succeeded, saved or not.
func (e *engine) cut(a int32, why Result) {
	g := &e.agents[a]
	j, t := g.job, e.trace
	r := &t.Records[j]
	if g.run.step >= packing {
		e.dropFlow(a)
		t.spanTo(j, e.now, Saving, -1)
		e.end(a)
		return
	}
	t.spanTo(j, e.now, LostWork, g.node)
	e.loseTime(g)
	if g.run.step == working || g.run.step == awaitingFetch {
		e.endWork(a)
	}
	e.dropFlow(a)
	e.dropTraffic(a)
	e.releaseVolume(a)
	r.Lost++
	t.Cut[why]++
	g.lastJob, g.job = j, -1
	if int(r.Lost) > e.w.Classes[e.jobs.List[j].Class].Retries || r.Lost == 1<<8-1 || why == Orphaned {
		e.endJob(j, why)
	} else {
		e.observeWaiting(1)
		e.teams[g.team].arrived = append(e.teams[g.team].arrived, j)
		e.wake(g.team, e.now)
	}
	e.leave(a)
}

// end ends agent a's job as its work ended, and takes the agent away.
func (e *engine) end(a int32) {
	e.recordEnd(a)
	g := &e.agents[a]
	g.lastJob, g.job = g.job, -1
	e.leave(a)
}

// endJob ends a job.
func (e *engine) endJob(j int32, result Result) {
	r := &e.trace.Records[j]
	r.Ended, r.Result = e.now, result
	e.open--
	e.follow(j, result)
}

// follow lets the jobs that come after one whose work is over go on, or drops them. They
// do not wait for its workspace to be saved and its agent to be wiped.
func (e *engine) follow(j int32, result Result) {
	if e.chain == nil || e.chain.over[j] {
		return
	}
	e.chain.over[j] = true
	e.resolved(j)
	for _, next := range e.chain.after(j) {
		if result == Succeeded {
			e.release(next)
		} else {
			e.drop(next)
		}
	}
}

// chain knows which jobs come after which.
type chain struct {
	from []int32 // by job: where its followers begin in list
	list []int32
	left []int32 // by job: jobs that it still waits for
	over []bool  // by job: those that come after it know how it ended
}

func newChain(e *engine) *chain {
	if !e.jobs.Chained() && e.crowd == nil {
		return nil
	}
	n := len(e.jobs.List)
	c := &chain{from: make([]int32, n+1), left: make([]int32, n), over: make([]bool, n)}
	for j := range n {
		for _, b := range e.jobs.After(j) {
			c.from[b+1]++
			c.left[j]++
		}
	}
	for j := range n {
		c.from[j+1] += c.from[j]
	}
	c.list = make([]int32, c.from[n])
	at := append([]int32(nil), c.from...)
	for j := range n {
		for _, b := range e.jobs.After(j) {
			c.list[at[b]] = int32(j)
			at[b]++
		}
	}
	return c
}

// add enters a job that nobody knew of. Jobs that come after others are added right behind
// the jobs of which they are the first to come, in the same order.
func (c *chain) add(j int32, jobs *demand.Jobs) {
	before := jobs.After(int(j))
	c.left, c.over = append(c.left, int32(len(before))), append(c.over, false)
	c.from = append(c.from, int32(len(c.list)))
	for _, b := range before {
		c.list = append(c.list, j)
		for k := b + 1; k <= j+1; k++ {
			c.from[k] = int32(len(c.list))
		}
	}
}

func (c *chain) after(j int32) []int32 { return c.list[c.from[j]:c.from[j+1]] }

// release tells a job that one it waited for has ended well.
func (e *engine) release(j int32) {
	if e.chain.left[j]--; e.chain.left[j] == 0 && e.hasCome(j) {
		e.trace.released[j] = e.now
		e.jobArrives(j)
	}
}

// hasCome reports whether a job has been submitted: what people submit has, as soon as it
// is there.
func (e *engine) hasCome(j int32) bool {
	return int(j) < e.nextJob || e.crowd != nil && int(j) >= e.crowd.alone
}

// drop ends a job that will never be released, and those behind it.
func (e *engine) drop(j int32) {
	r := &e.trace.Records[j]
	if r.Result == Dropped {
		return
	}
	counted := r.Template >= 0 && e.jobs.List[j].Submitted < e.w.Plan.Span
	r.Result = Dropped
	if counted {
		e.open--
	}
	e.resolved(j)
	for _, next := range e.chain.after(j) {
		e.drop(next)
	}
}
