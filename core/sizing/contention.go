package sizing

import (
	"math"
	"slices"
	"sort"

	"tachyphor/core/chance"
	"tachyphor/core/portable"

	"gonum.org/v1/gonum/floats"
)

// A Stretch is how many times as long work takes on a full node, with the 95 %
// interval of that mean, and the mean of each group of runs.
type Stretch struct {
	Mean, Low, High float64
	Groups          []float64
}

// Limits on the simulation of a full node: it goes on until the interval of the mean
// is narrow, or so many ends of levels were seen.
const (
	leastEvents       = 10_000
	mostEvents        = 160_000
	narrow            = 0.005 // half of the interval, as a share of the mean
	contentionBatches = 20
)

// Contend says how much work stretches on a node with n agents that are all at work
// all the time, one run after the other, drawn from runs by their weights. groups
// number the runs' groups from 0; nil: one group. CPU goes to
// them in equal shares, none more than it wants, what one leaves to the others: as the
// kernel gives it to containers of equal requests. cores is what the node has for
// them.
//
// The node is simulated level by level of the runs' curves; the mean is time spent
// over time that the same levels took when they were measured, its interval from the
// means of 20 batches.
func Contend(curves []Curve, weights []float64, groups []int, cores float64, n int, key chance.Key) Stretch {
	count := 1
	for _, g := range groups {
		count = max(count, g+1)
	}
	all := func(x float64) Stretch { return Stretch{x, x, x, slices.Repeat([]float64{x}, count)} }
	f := fullNode{curves: curves, groups: groups, cores: cores, key: key}
	most, sum := 0.0, 0.0
	for i, c := range curves {
		for _, l := range c {
			most = max(most, float64(l.Cores))
		}
		if len(c) > 0 {
			sum += weights[i]
		}
		f.upTo = append(f.upTo, sum)
	}
	if n < 1 || sum == 0 || float64(n)*most <= cores {
		return all(1)
	}
	if cores <= 0 {
		return all(math.Inf(1))
	}
	f.spent, f.had = make([]float64, count), make([]float64, count)
	f.slots = make([]slot, n)
	for i := range f.slots {
		f.next(i)
		// somewhere within its run, so that not all begin together
		s := &f.slots[i]
		for at := f.uniform() * s.curve.Seconds(); s.level+1 < len(s.curve) && at > s.left; {
			at -= s.left
			s.level++
			s.left = float64(s.curve[s.level].Seconds)
		}
		f.order = append(f.order, i)
		f.settle(i)
	}
	each := leastEvents / contentionBatches
	f.run(each) // warm up
	clear(f.spent)
	clear(f.had)
	means := make([]float64, contentionBatches)
	t := portable.StudentQuantile(contentionBatches - 1)
	var spent, had [contentionBatches]float64
	mean, half := 0.0, math.Inf(1)
	for seen := 0; seen < mostEvents && half > narrow*mean; seen += each * contentionBatches {
		// each batch goes on where the last one ended, and is told from the same batch of
		// earlier rounds by nothing but more of it
		for b := range means {
			s, h := f.run(each)
			spent[b], had[b] = spent[b]+s, had[b]+h
			means[b] = spent[b] / had[b]
		}
		mean = floats.Sum(spent[:]) / floats.Sum(had[:])
		squares := 0.0
		for _, m := range means {
			squares += float64((m - mean) * (m - mean))
		}
		half = t * math.Sqrt(squares/float64(contentionBatches-1)/float64(contentionBatches))
	}
	out := Stretch{mean, max(mean-half, 1), mean + half, slices.Repeat([]float64{1}, count)}
	for g := range out.Groups {
		if f.had[g] > 0 {
			out.Groups[g] = f.spent[g] / f.had[g]
		}
	}
	return out
}

// A fullNode is a node whose agents are always at work.
type fullNode struct {
	curves []Curve
	groups []int
	upTo   []float64 // weights of the curves so far, added up
	cores  float64
	slots  []slot
	order  []int // slots by what they want, ascending
	key    chance.Key
	draws  uint64
	// by group: time spent, and the time that what was done took when measured
	spent, had []float64
}

// A slot is an agent and the run that it works on.
type slot struct {
	curve Curve
	group int
	level int
	left  float64 // of the level, in the seconds that it took when measured
	wants float64 // cores
	pace  float64 // how fast it goes on: 1 with all it wants
}

func (f *fullNode) uniform() float64 {
	f.draws++
	return f.key.For(chance.Slot, f.draws, 0).Uniform()
}

// next gives a slot its next run.
func (f *fullNode) next(i int) {
	at := f.uniform() * f.upTo[len(f.upTo)-1]
	k := min(sort.SearchFloat64s(f.upTo, at), len(f.curves)-1)
	c := f.curves[k]
	f.slots[i] = slot{curve: c, left: float64(c[0].Seconds)}
	if f.groups != nil {
		f.slots[i].group = f.groups[k]
	}
}

// run lets the node work for a number of ends of levels. It returns the time that the
// slots spent together, and the time that what they did took when it was measured.
func (f *fullNode) run(events int) (spent, had float64) {
	for range events {
		f.fill()
		first, soonest := 0, math.Inf(1)
		for i := range f.slots {
			if t := f.slots[i].left / f.slots[i].pace; t < soonest {
				first, soonest = i, t
			}
		}
		for i := range f.slots {
			s := &f.slots[i]
			done := float64(soonest * s.pace)
			s.left -= done
			had += done
			f.had[s.group] += done
			f.spent[s.group] += soonest
		}
		spent += float64(soonest * float64(len(f.slots)))
		s := &f.slots[first]
		if s.level++; s.level < len(s.curve) {
			s.left = float64(s.curve[s.level].Seconds)
		} else {
			f.next(first)
		}
		f.settle(first)
	}
	return spent, had
}

// settle puts a slot whose wants have changed back into the order of wants.
func (f *fullNode) settle(slot int) {
	s := &f.slots[slot]
	s.wants = float64(s.curve[s.level].Cores)
	at := slices.Index(f.order, slot)
	for ; at > 0 && f.slots[f.order[at-1]].wants > s.wants; at-- {
		f.order[at] = f.order[at-1]
	}
	for ; at+1 < len(f.order) && f.slots[f.order[at+1]].wants < s.wants; at++ {
		f.order[at] = f.order[at+1]
	}
	f.order[at] = slot
}

// fill shares the node's CPU out by water-filling with equal weights: from the least
// wants on, each gets an equal share of what is left, or all it wants. A slot that
// wants no CPU is not held up.
func (f *fullNode) fill() {
	room := f.cores
	for i, at := range f.order {
		s := &f.slots[at]
		level := room / float64(len(f.order)-i)
		if s.wants > level {
			for _, more := range f.order[i:] { // this one and all that want more share alike
				f.slots[more].pace = level / f.slots[more].wants
			}
			return
		}
		s.pace = 1
		room -= s.wants
	}
}
