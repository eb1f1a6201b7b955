package work

import (
	"crypto/sha256"
	"errors"
	"slices"
	"testing"
	"time"

	"tachyphor/core/explore"
	"tachyphor/wire"
)

// What pods say is taken once; the same said again changes nothing, what is said otherwise or of no
// shard is refused, and what cannot be kept may be said again.
func TestBlockAnswers(t *testing.T) {
	var said []int
	full := errors.New("full")
	broken := true
	b := &Block{
		shards: 3, left: 2, answered: map[int][sha256.Size]byte{}, all: make(chan struct{}),
		groups: [][]wire.NumberedShard{{{Number: 1}}, {{Number: 2}}},
		said: func(i int, _ []explore.Run) error {
			if i == 2 && broken {
				return full
			}
			said = append(said, i)
			return nil
		},
	}
	answer := func(n int, bill float64) error {
		return b.Answer([]wire.ShardAnswer{{Number: n, Runs: []explore.Run{{Bill: bill}}}})
	}
	for i, step := range []struct {
		n    int
		bill float64
		want error
	}{{1, 5, nil}, {1, 5, nil}, {1, 6, ErrSaidElse}, {3, 5, ErrNoGroup}, {-1, 5, ErrNoGroup}, {2, 7, full}} {
		if err := answer(step.n, step.bill); !errors.Is(err, step.want) {
			t.Errorf("step %d: %v, want %v", i, err, step.want)
		}
	}
	select {
	case <-b.all:
		t.Error("it is done before all was said")
	default:
	}
	broken = false
	if err := answer(2, 7); err != nil {
		t.Error(err)
	}
	<-b.all
	if !slices.Equal(said, []int{1, 2}) {
		t.Errorf("said %v", said)
	}
	if g, err := b.Group(1); err != nil || len(g.Shards) != 0 {
		t.Errorf("of what was said, %v is asked again: %v", g.Shards, err)
	}
	if _, err := b.Group(2); !errors.Is(err, ErrNoGroup) {
		t.Error(err)
	}
}

// Any first few numbers lie all over, each comes once; and every shard is in one group.
func TestSpreadAndGrouped(t *testing.T) {
	for n := range 70 {
		got := spread(n)
		sorted := slices.Sorted(slices.Values(got))
		if len(got) != n || n > 0 && (sorted[0] != 0 || sorted[n-1] != n-1) || len(slices.Compact(sorted)) != n {
			t.Fatalf("%d: %v", n, got)
		}
		if n >= 8 {
			if first := slices.Sorted(slices.Values(got[:4])); first[3] < n/2 {
				t.Errorf("of %d the first are %v", n, first)
			}
		}
		shards := make([]explore.Shard, n)
		for i := range shards {
			shards[i].Repeats = make([]int, 1+i%8)
		}
		for _, each := range []time.Duration{1, time.Second, time.Hour} {
			in := map[int]int{}
			groups := grouped(shards, got, each, 4)
			for _, g := range groups {
				if len(g) == 0 {
					t.Errorf("%d shards: an empty group", n)
				}
				for _, s := range g {
					in[s.Number]++
				}
			}
			if len(in) != n || n >= 4 && len(groups) < 4 {
				t.Errorf("%d shards in %d groups, %d are there", n, len(groups), len(in))
			}
		}
	}
}
