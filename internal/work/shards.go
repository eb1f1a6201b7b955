package work

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"math/bits"
	"slices"
	"sync/atomic"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/internal/kube"
	"tachyphor/wire"
)

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
	asked, digests := sent(in, question)
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
		ask := func() kube.Shards {
			s := q.shards(on, j.ID, len(b.groups), text)
			s.Memory = question.RunNeed() + podBytes
			return s
		}
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
		for again := 0; ; again++ {
			told.jobs.Add(1)
			err = c.RunShards(over, ask(), told.elsewhere)
			told.elsewhere("")
			if !errors.Is(err, kube.ErrShardsLost) || again == farAgain {
				break
			}
			q.log.Warn("shards", "work", j.ID, "again", again+1, "error", err)
			b.regroup(grouped(shards, b.unanswered(left), max(each, 1), pods(on)))
		}
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

// sent is what pods are sent of a question, and by input the digest of its recorded jobs; empty: it
// has none.
func sent(in wire.Inputs, question *explore.Question) (asked wire.ShardsQuestion, digests []string) {
	asked.Aims = question.AimTexts()
	digests = []string{in.Recording}
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
	return asked, digests
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
