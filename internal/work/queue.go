package work

import (
	"context"
	"encoding/json"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/internal/kept"
	"tachyphor/internal/library"
	"tachyphor/internal/memory"
	"tachyphor/internal/store"
	"tachyphor/internal/traced"
	"tachyphor/wire"
)

const (
	// lease is how long claimed work stays the holder's without a sign of life, and beat how
	// often it gives one.
	lease = 15 * time.Second
	beat  = time.Second
	// atOnce is how many pieces of work share the cores: each may use all of them, and the
	// operating system parts them evenly, so that what is short does not wait behind what is
	// long. liveAtOnce is how many speak to clusters beside them.
	atOnce     = 3
	liveAtOnce = 4
	// longestLive is how long live work may take.
	longestLive = 15 * time.Minute
	// usualKept is how many scenarios it is kept of what is usual in them.
	usualKept = 50
	// mostOpen is how much work may wait or run at once.
	mostOpen = 200
	// mostOwn is how much of that may be of one person.
	mostOwn = 100
)

// A Queue works off what was asked for, several pieces at a time.
type Queue struct {
	Library *library.Library
	store   *store.Store
	log     *slog.Logger
	holder  string
	room    *room
	full    func() error
	cluster Clusters
	far     Far
	traces  *traced.Teller
	blocks  sync.Map // that pods may ask for: *Block by the hash of its token

	ring chan struct{} // something may be waiting
	dusk chan struct{} // a day may be due
	ctx  context.Context
	stop context.CancelFunc
	all  sync.WaitGroup // all that runs, and the queue itself

	alone sync.RWMutex // held for writing by what is done alone, by all else for reading

	mu       sync.Mutex
	running  map[uint64]*Job // what this process works on
	live     int             // of these, and of what is about to, live ones
	closed   bool
	lived    *kept.Kept[*sim.Trace]
	results  *kept.Kept[result]
	usual    *kept.Kept[*outcome.UsualWeek]
	glances  *kept.Kept[wire.Gist]
	glancing chan struct{} // places
	lookers  *kept.Kept[*outcome.Looker]
	chosen   *kept.Kept[[]int32]
	watched  watching

	finished, failed atomic.Int64
}

// Start begins to work off the queue. While full is an error nothing is begun, for its
// result could not be stored. cluster says which clusters live work may touch, far how
// runs are computed there.
func Start(s *store.Store, l *library.Library, log *slog.Logger, full func() error, cluster Clusters, far Far, traces *traced.Teller) *Queue {
	ctx, stop := context.WithCancel(context.Background())
	q := &Queue{
		Library: l, store: s, log: log, holder: store.NewHolder(), full: full, cluster: cluster, far: far, traces: traces,
		room: &room{workers: cores(), all: memory.Work(memory.Limit())},
		ring: make(chan struct{}, 1), dusk: make(chan struct{}, 1), ctx: ctx, stop: stop, running: map[uint64]*Job{},
		usual:    kept.New(usualKept, 1, func(*outcome.UsualWeek) int { return 1 }),
		lookers:  kept.New(jobsKept, 1, func(l *outcome.Looker) int { return max(l.Len(), jobsKept/10) }),
		chosen:   kept.New(jobsKept, 2, func(jobs []int32) int { return len(jobs) + 1000 }),
		glancing: make(chan struct{}, glancesAtOnce),
		glances:  kept.New(glancesKept, 2, func(wire.Gist) int { return 1 }),
		results:  kept.New(resultBytes, 2, func(r result) int { return r.bytes }),
		lived:    kept.New(jobsKept, 1, func(t *sim.Trace) int { return max(len(t.Records), jobsKept/10) }),
	}
	q.all.Go(q.workOff)
	q.all.Go(q.breakOff)
	q.all.Go(q.nights)
	return q
}

// Close stops working. What is running goes back into the queue; live work is ended, and
// what it made is taken away first.
func (q *Queue) Close() {
	q.mu.Lock()
	q.closed = true
	for _, j := range q.running {
		j.stop()
	}
	q.mu.Unlock()
	q.stop()
	q.all.Wait()
}

// Counts returns how many pieces of work this process finished and failed, live ones apart.
func (q *Queue) Counts() (finished, failed int64) { return q.finished.Load(), q.failed.Load() }

// enter enters work of a kind into the queue.
func (q *Queue) enter(ctx context.Context, k *Kind, w store.Work, question any) (store.Work, error) {
	b, err := json.Marshal(question)
	if err != nil {
		return w, err
	}
	w.Kind, w.Question = k.Name, string(b)
	if w, err = q.store.Enter(ctx, w, lease, namesOf(k.Live), mostOpen, mostOwn); err == nil {
		select {
		case q.ring <- struct{}{}:
		default:
		}
	}
	return w, err
}

// Cancel ends work of some kinds that is not over. Live work that this process does ends
// once what it made is taken away; of another process, within seconds.
func (q *Queue) Cancel(ctx context.Context, kinds []string, id uint64) (store.Work, error) {
	q.mu.Lock()
	j := q.running[id]
	q.mu.Unlock()
	if j != nil && j.kind.Live {
		j.stop()
		return q.store.GetWork(ctx, kinds, id)
	}
	w, err := q.store.Cancel(ctx, kinds, id)
	if err == nil && j != nil {
		j.stop()
	}
	return w, err
}

// Progress returns how far work has come, fresher than its record when this process does
// it.
func (q *Queue) Progress(w store.Work) float64 {
	if j := q.job(w); j != nil {
		return j.done()
	}
	return w.Progress
}

// Checkpoint reads the last checkpoint of work into v.
func (q *Queue) Checkpoint(w store.Work, v any) {
	if text := q.Sign(w).checkpoint; text != "" {
		_ = json.Unmarshal([]byte(text), v) // ours; as it was if it cannot be read
	}
}

// A Sign is what of work changes while it is done: two that are equal tell the same.
type Sign struct {
	state      wire.State
	progress   float64
	checkpoint string
}

// Sign returns how far work has come, fresher than its record when this process does it.
func (q *Queue) Sign(w store.Work) Sign {
	sign := Sign{state: w.State, progress: w.Progress}
	if w.Checkpoint != nil {
		sign.checkpoint = *w.Checkpoint
	}
	if j := q.job(w); j != nil {
		j.mu.Lock()
		defer j.mu.Unlock()
		sign.progress, sign.checkpoint = j.done(), j.checkpoint
	}
	return sign
}

// job finds work that runs in this process.
func (q *Queue) job(w store.Work) *Job {
	q.mu.Lock()
	defer q.mu.Unlock()
	if w.State != wire.Running {
		return nil
	}
	return q.running[w.ID]
}

// Drop takes work of some kinds that is over away, with all that was kept of it.
func (q *Queue) Drop(ctx context.Context, kinds []string, id uint64) error {
	if err := q.store.DropWork(ctx, kinds, id); err != nil {
		return err
	}
	q.lived.Drop(key(id))
	q.results.Drop(key(id))
	return nil
}

// Result returns the result of finished work, as JSON.
func (q *Queue) Result(ctx context.Context, id uint64) ([]byte, error) {
	data, err := q.store.GetResult(ctx, id)
	if err != nil {
		return nil, err
	}
	return store.Unpack(data)
}

// ResultOf is Result, read.
func ResultOf[R any](ctx context.Context, q *Queue, id uint64) (*R, error) {
	raw, err := q.Result(ctx, id)
	if err != nil {
		return nil, err
	}
	out := new(R)
	return out, json.Unmarshal(raw, out)
}
