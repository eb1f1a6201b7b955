package work

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sync"

	"tachyphor/core/explore"
	"tachyphor/wire"
)

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
	b.mu.Lock()
	defer b.mu.Unlock()
	if n < 0 || n >= len(b.groups) {
		return wire.ShardGroup{}, fmt.Errorf("%w: %d of %d", ErrNoGroup, n, len(b.groups))
	}
	left := []wire.NumberedShard{}
	for _, s := range b.groups[n] {
		if _, ok := b.answered[s.Number]; !ok {
			left = append(left, s)
		}
	}
	return wire.ShardGroup{Shards: left}, nil
}

// unanswered are those of some shards that were not answered yet.
func (b *Block) unanswered(list []int) (out []int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, i := range list {
		if _, ok := b.answered[i]; !ok {
			out = append(out, i)
		}
	}
	return out
}

// regroup parts what is left anew, for other pods.
func (b *Block) regroup(groups [][]wire.NumberedShard) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.groups = groups
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
