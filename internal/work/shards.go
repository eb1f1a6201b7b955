package work

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/wire"
)

// Far says how runs are computed on a cluster.
type Far struct {
	Reach string // address of this service, as pods of clusters reach it; empty: none is computed there
	Image string // that runs this program, where a question names none
	// Least is how much work there must be for pods to be worth their coming; less is done here. 0:
	// farLeast.
	Least    time.Duration
	Patience time.Duration // without a pod that comes up; 0: the usual
}

// Bounds of work elsewhere.
const (
	farLeast = 10 * time.Second // of one core
	farGroup = 30 * time.Second // of a group, about
	farPods  = 8                // at once, where nobody says otherwise
	farMost  = 1000             // groups
)

// pods is how many may be at work at once.
func pods(on *wire.OnCluster) int {
	if on.Pods > 0 {
		return on.Pods
	}
	return farPods
}

// Reaches reports whether runs can be computed on clusters without anything more being said.
func (q *Queue) Reaches() bool { return q.far.Reach != "" && q.far.Image != "" }

// reach opens the connection to the cluster that a question is to be computed on, and looks whether
// it would take the work. An error that wraps ErrExplore says what to do.
func (q *Queue) reach(ctx context.Context, on *wire.OnCluster) error {
	switch {
	case q.far.Reach == "":
		return fmt.Errorf("%w: this service does not know at which address pods reach it; start it with --reach URL", ErrExplore)
	case on.Image == "" && q.far.Image == "":
		return fmt.Errorf("%w: name the image that pods run with --image, or start the service with --shards-image; it must be of the version "+
			"of this service, as `make image` builds it", ErrExplore)
	}
	c, err := q.connect(on)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrExplore, err)
	}
	if err := c.TryShards(ctx, q.shards(on, 0, 1, "none")); err != nil {
		return fmt.Errorf("%w: %w", ErrExplore, err)
	}
	return nil
}

// farLeast is how much work there must be for pods to come.
func (q *Queue) farLeast() time.Duration {
	if q.far.Least > 0 {
		return q.far.Least
	}
	return farLeast
}

func (q *Queue) connect(on *wire.OnCluster) (*kube.Cluster, error) {
	o := q.cluster
	o.Context = on.Context
	return kube.Connect(o)
}

// shards are groups as a cluster is asked for them.
func (q *Queue) shards(on *wire.OnCluster, id uint64, groups int, token string) kube.Shards {
	image := on.Image
	if image == "" {
		image = q.far.Image
	}
	b := make([]byte, 4)
	_, _ = rand.Read(b)
	return kube.Shards{
		Name: fmt.Sprintf("tachyphor-%d-%s", id, hex.EncodeToString(b)), Work: id, Namespace: on.Namespace, Image: image, Groups: groups,
		Pods: pods(on), Address: q.far.Reach, Token: token, Patience: q.far.Patience,
	}
}

// A Block is a block of shards that pods may ask for and answer, with a token of its own, until it
// is done.
type Block struct {
	Question wire.ShardsQuestion
	shards   int      // their numbers go from 0
	digests  []string // of the recorded jobs of its inputs; empty: they have none
	groups   [][]wire.NumberedShard
	said     func(i int, runs []explore.Run) error

	mu       sync.Mutex
	left     int
	answered map[int][sha256.Size]byte // what was said, by shard
	all      chan struct{}             // closed when nothing is left
}

// Reasons for which what pods ask is refused.
var (
	ErrNoGroup  = errors.New("there is no such group")
	ErrSaidElse = errors.New("another pod said otherwise of the same shard: one of the two computes wrongly")
)

// Group is one pod's part: of its shards those that were not answered before, by one that was lost.
func (b *Block) Group(n int) (wire.ShardGroup, error) {
	if n < 0 || n >= len(b.groups) {
		return wire.ShardGroup{}, fmt.Errorf("%w: %d of %d", ErrNoGroup, n, len(b.groups))
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	left := []wire.NumberedShard{}
	for _, s := range b.groups[n] {
		if _, ok := b.answered[s.Number]; !ok {
			left = append(left, s)
		}
	}
	return wire.ShardGroup{Shards: left}, nil
}

// Answer takes what shards' runs said. The same said again changes nothing; other than was said
// before is refused.
func (b *Block) Answer(list []wire.ShardAnswer) error {
	for _, a := range list {
		if a.Number < 0 || a.Number >= b.shards {
			return fmt.Errorf("%w: shard %d of %d", ErrNoGroup, a.Number, b.shards)
		}
		raw, err := json.Marshal(a.Runs)
		if err != nil {
			return err
		}
		digest := sha256.Sum256(raw)
		b.mu.Lock()
		before, again := b.answered[a.Number]
		b.mu.Unlock()
		if again {
			if before != digest {
				return fmt.Errorf("%w (shard %d)", ErrSaidElse, a.Number)
			}
			continue
		}
		if err := b.said(a.Number, a.Runs); err != nil {
			return err
		}
		b.mu.Lock()
		if _, twice := b.answered[a.Number]; !twice {
			b.answered[a.Number] = digest
			if b.left--; b.left == 0 {
				close(b.all)
			}
		}
		b.mu.Unlock()
	}
	return nil
}

// RecordingOf writes the file of the recorded jobs of one of a block's inputs.
func (q *Queue) RecordingOf(ctx context.Context, b *Block, n int, w io.Writer) error {
	if n < 0 || n >= len(b.digests) || b.digests[n] == "" {
		return fmt.Errorf("%w: no recorded jobs of input %d", ErrNoGroup, n)
	}
	return q.Library.CopyRecording(ctx, b.digests[n], w)
}

// BlockOf finds the block that a token is for.
func (q *Queue) BlockOf(token string) (*Block, bool) {
	b, ok := q.blocks.Load(sha256.Sum256([]byte(token)))
	if !ok {
		return nil, false
	}
	return b.(*Block), true
}

// elsewhere has an exploration's runs computed on a cluster, where there are enough of them. told is
// told how that stands.
func (q *Queue) elsewhere(ctx context.Context, j *Job, in wire.Inputs, question *explore.Question, workers int,
	told *said,
) (explore.Elsewhere, error) {
	on := in.Explore.On
	c, err := q.connect(on)
	if err != nil {
		return nil, err
	}
	told.context = c.Context
	if err := c.ClearShards(ctx, on.Namespace, j.ID); err != nil {
		return nil, err
	}
	asked := wire.ShardsQuestion{Aims: question.AimTexts()}
	digests := []string{in.Recording}
	if len(in.Explore.Across) > 0 {
		digests = nil
		for _, d := range in.Explore.Across {
			digests = append(digests, d.Recording)
		}
	}
	for i, input := range question.Inputs() {
		one := wire.ShardsInput{Recorded: digests[i] != ""}
		for _, d := range input.All() {
			one.Documents = append(one.Documents, d.Text)
		}
		if jobs := input.Workload.Value.(*document.Workload).Spec.Jobs; jobs != nil {
			one.Columns = jobs.Columns
		}
		asked.Inputs = append(asked.Inputs, one)
	}
	return func(shards []explore.Shard, here func(int) error, said func(int, []explore.Run) error) error {
		left, each, err := q.tasted(shards, workers, here)
		if err != nil {
			return err
		}
		runs := 0
		for _, i := range left {
			runs += len(shards[i].Repeats)
		}
		if each*time.Duration(runs) < q.farLeast() {
			return sim.Each(workers, len(left), func(n int) error { return here(left[n]) })
		}
		far := func(i int, runs []explore.Run) error {
			told.runs.Add(int64(len(runs)))
			return said(i, runs)
		}
		b := &Block{
			Question: asked, digests: digests, said: far, shards: len(shards), left: len(left), answered: map[int][sha256.Size]byte{}, all: make(chan struct{}),
			groups: grouped(shards, left, max(each, 1), pods(on)),
		}
		token := make([]byte, 32)
		_, _ = rand.Read(token)
		text := "tps_" + hex.EncodeToString(token)
		key := sha256.Sum256([]byte(text))
		q.blocks.Store(key, b)
		s := q.shards(on, j.ID, len(b.groups), text)
		s.Memory = question.RunNeed() + podBytes
		over, done := context.WithCancel(ctx)
		defer done()
		go func() {
			select {
			case <-b.all:
				done()
			case <-over.Done():
			}
			q.blocks.Delete(key)
		}()
		told.jobs.Add(1)
		err = c.RunShards(over, s, told.elsewhere)
		told.elsewhere("")
		if ctx.Err() != nil {
			return sim.ErrStopped
		}
		select {
		case <-b.all: // whatever became of the Job then
			if err != nil {
				q.log.Warn("shards", "work", j.ID, "error", err)
			}
			return nil
		default:
			return err
		}
	}, nil
}

// podBytes is what a pod takes beside a run.
const podBytes = 160 << 20

// tasteFor is how long shards are run here, to know how long they take.
const tasteFor = time.Second

// tasted runs some shards here, spread over all, until it is known how long a run takes; it returns
// those that are left.
func (q *Queue) tasted(shards []explore.Shard, workers int, here func(int) error) (left []int, each time.Duration, err error) {
	long := min(tasteFor, q.farLeast()/4)
	began := time.Now()
	var next, runs, took atomic.Int64
	order := spread(len(shards))
	err = sim.Each(workers, workers, func(int) error {
		for time.Since(began) < long {
			n := int(next.Add(1)) - 1
			if n >= len(order) {
				return nil
			}
			at := time.Now()
			if err := here(order[n]); err != nil {
				return err
			}
			took.Add(int64(time.Since(at)))
			runs.Add(int64(len(shards[order[n]].Repeats)))
		}
		return nil
	})
	left = order[min(int(next.Load()), len(order)):]
	slices.Sort(left)
	return left, time.Duration(took.Load() / max(1, runs.Load())), err
}

// spread orders numbers below n so that any first few lie all over.
func spread(n int) []int {
	out := make([]int, 0, n)
	for step := bits.Len(uint(n)); step >= 0; step-- {
		for i := 0; i < n; i += 1 << step {
			if step == bits.Len(uint(n)) || i%(2<<step) != 0 {
				out = append(out, i)
			}
		}
	}
	return out
}

// grouped parts shards into groups that take about as long as a pod is worth coming for, and no
// fewer than pods that may be at work.
func grouped(shards []explore.Shard, left []int, each time.Duration, pods int) [][]wire.NumberedShard {
	runs := 0
	for _, i := range left {
		runs += len(shards[i].Repeats)
	}
	// A multiple of the pods, so that they end together.
	rounds := max(1, int((each*time.Duration(runs)/farGroup+time.Duration(pods)-1)/time.Duration(pods)))
	groups := min(rounds*pods, farMost, len(left))
	out := make([][]wire.NumberedShard, groups)
	for n, i := range left {
		out[n%groups] = append(out[n%groups], wire.NumberedShard{Number: i, Shard: shards[i]}) // long and short ones lie mixed
	}
	return out
}

// whatPods tells what pods computed of an exploration.
func (s *said) whatPods(runs int, least time.Duration) string {
	if n := s.runs.Load(); n > 0 {
		in := "one Job"
		if jobs := s.jobs.Load(); jobs > 1 {
			in = fmt.Sprintf("%d Jobs", jobs)
		}
		return fmt.Sprintf("Pods of %s computed %d of %d runs, in %s.", s.context, n, runs, in)
	}
	return fmt.Sprintf("No pods came: no block of its runs was worth %s of one core, less than which the service computes itself.", units.Duration(least).Short())
}

// said tells of what is computed elsewhere, beside how an exploration stands.
type said struct {
	j     *Job
	stand atomic.Pointer[explore.Standing]
	far   atomic.Pointer[string]

	context    string // of the cluster
	runs, jobs atomic.Int64
}

func (s *said) standing(x explore.Standing) {
	s.stand.Store(&x)
	s.keep()
}

func (s *said) elsewhere(text string) {
	if before := s.far.Swap(&text); before == nil || *before != text {
		s.keep()
	}
}

func (s *said) keep() {
	x := explore.Standing{Phase: explore.Beginning}
	if now := s.stand.Load(); now != nil {
		x = *now
	}
	if far := s.far.Load(); far != nil {
		x.Elsewhere = *far
	}
	s.j.Keep(x)
}
