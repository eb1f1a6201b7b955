package paired_test

import (
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"sync"
	"testing"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// ceilings are a queue's world with from one agent to as many as are wanted.
func ceilings(t *testing.T, n int) []*world.World {
	t.Helper()
	w, err := worlds.Queue{Agents: 1, Load: 0.8, Work: worlds.Exponential, Hours: 2, Repeats: 2}.Build()
	if err != nil {
		t.Fatal(err)
	}
	out := []*world.World{w}
	for i := 1; i < n; i++ {
		out = append(out, w.WithCeiling(0, i))
	}
	return out
}

// delay is the mean delay of a run's jobs, s.
func delay(t *sim.Trace) float64 {
	sum, n := 0.0, 0
	for j, r := range t.Records {
		if r.Started >= 0 {
			sum, n = sum+(r.Started-t.Jobs.List[j].Submitted).Seconds(), n+1
		}
	}
	return sum / math.Max(1, float64(n))
}

func read(_, _ int, t *sim.Trace) (float64, error) { return delay(t), nil }

// What is read does not depend on the number of workers, nor on blocks; every world is
// given the same jobs.
func TestWorkersAndBlocksChangeNothing(t *testing.T) {
	list := ceilings(t, 3)
	var want [][]float64
	for _, c := range []struct{ workers, block int }{{1, 0}, {4, 0}, {3, 2}, {2, 1}, {1, 100}} {
		s := paired.Study[float64]{Worlds: list, Draws: paired.Draws(5, 0), Read: read, Workers: c.workers, Block: c.block}
		got, err := s.Run()
		if err != nil {
			t.Fatal(err)
		}
		if want == nil {
			want = got
		}
		if !reflect.DeepEqual(got, want) {
			t.Errorf("%+v: %v, not %v", c, got, want)
		}
	}
	for r := range want[0] {
		if want[0][r] < want[1][r] || want[1][r] < want[2][r] {
			t.Errorf("repeat %d: more agents wait longer: %v", r, []float64{want[0][r], want[1][r], want[2][r]})
		}
	}
}

// A world that is left out gets no more draws, and progress still ends at one.
func TestLeftOut(t *testing.T) {
	for _, workers := range []int{1, 4} {
		var asked [][]int
		var mu sync.Mutex
		told := []float64{}
		s := paired.Study[float64]{
			Worlds: ceilings(t, 3), Draws: paired.Draws(6, 0), Read: read, Workers: workers, Block: 2,
			Keep: func(so [][]float64) []bool {
				lens := []int{len(so[0]), len(so[1]), len(so[2])}
				asked = append(asked, lens)
				return []bool{lens[2] >= 4, true, lens[2] < 4} // the first goes at once, the last later; neither comes back
			},
			Progress: paired.Progress(func(done float64) bool {
				mu.Lock()
				defer mu.Unlock()
				told = append(told, done)
				return true
			}).Forward(),
		}
		got, err := s.Run()
		if err != nil {
			t.Fatal(err)
		}
		if len(got[0]) != 2 || len(got[1]) != 6 || len(got[2]) != 4 || !reflect.DeepEqual(asked, [][]int{{2, 2, 2}, {2, 4, 4}}) {
			t.Errorf("draws %d, %d, %d; asked with %v", len(got[0]), len(got[1]), len(got[2]), asked)
		}
		if !slices.IsSorted(told) || told[len(told)-1] != 1 {
			t.Errorf("progress %v", told)
		}
	}
}

func TestStudiesEnd(t *testing.T) {
	list := ceilings(t, 2)
	s := paired.Study[float64]{
		Worlds: list, Draws: paired.Draws(3, 0), Read: read, Workers: 2,
		Progress: func(done float64) bool { return done < 0.5 },
	}
	if _, err := s.Run(); !errors.Is(err, sim.ErrStopped) {
		t.Errorf("stopped: %v", err)
	}
	none := paired.Study[float64]{Worlds: nil, Draws: paired.Draws(3, 0), Read: read}
	if got, err := none.Run(); err != nil || len(got) != 0 {
		t.Errorf("no worlds: %v, %v", got, err)
	}
	s = paired.Study[float64]{Worlds: list, Draws: paired.Draws(2, 0), Workers: 1, Read: func(v, d int, _ *sim.Trace) (float64, error) {
		if v == 1 && d == 1 {
			panic("broken")
		}
		return 0, nil
	}}
	_, err := s.Run()
	if defect := (*sim.Defect)(nil); !errors.As(err, &defect) || defect.Repeat != 1 || defect.Seed != list[1].Plan.Seed {
		t.Errorf("a panic: %v", err)
	}
}

// A difference is taken draw by draw, so that what both worlds owe to luck falls out.
func TestDifferencesArePaired(t *testing.T) {
	type reading struct{ x float64 }
	of := func(r *reading) float64 { return r.x }
	base := paired.Readings[reading]{Own: []reading{{10}, {30}, {20}, {50}}}
	more := paired.Readings[reading]{Own: []reading{{12}, {32.5}, {21.5}, {52}}}
	d := more.Less(base, of, 0)
	if math.Abs(d.Mean-2) > 1e-12 || d.Half > 1 || !d.Sure() {
		t.Errorf("%+v", d)
	}
	if f := more.Figure(of, 0); math.Abs(f.Mean-29.5) > 1e-12 || f.Half < 10 {
		t.Errorf("%+v", f)
	}
}

// What several goroutines find is told one at a time, and never less than before.
func TestProgressGoesForward(t *testing.T) {
	var told []float64
	forward := paired.Progress(func(done float64) bool {
		told = append(told, done)
		return done < 0.9
	}).Forward()
	for _, done := range []float64{0.1, 0.5, 0.3, 0.9, 0.2} {
		if on := forward(done); on != (done != 0.9 && done != 0.2) {
			t.Errorf("going on at %v: %v", done, on)
		}
	}
	if fmt.Sprint(told) != "[0.1 0.5 0.5 0.9 0.9]" {
		t.Error(told)
	}
	told = nil
	var wait sync.WaitGroup
	for i := range 8 {
		wait.Go(func() {
			for n := range 1_000 {
				forward(float64(n*8+i) / 10_000)
			}
		})
	}
	wait.Wait()
	if len(told) != 8_000 || !slices.IsSorted(told) {
		t.Errorf("%d times", len(told))
	}
	if paired.Progress(nil).Forward() != nil {
		t.Error("nobody is told")
	}
}
