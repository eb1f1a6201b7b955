package sizing

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"tachyphor/core/units"
)

// peaks makes runs an hour apart with the given peaks.
func peaks(n int, draw func(i int) (units.Bytes, bool)) []Run {
	out := make([]Run, n)
	for i := range out {
		out[i].Began = float64(i) * 3600
		out[i].Memory, out[i].Killed = draw(i)
	}
	return out
}

func TestMemoryAdvice(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 13))
	draw := func(int) (units.Bytes, bool) { return units.Bytes(4e9 * math.Exp(0.2*r.NormFloat64())), false }
	says := func(a PeakAdvice) string { return strings.Join(a.Words, " ") }

	many := Memory(peaks(412, draw), 412*3600, Wish{})
	if many.Request < many.Bound || many.Request%grain != 0 || many.Request-many.Bound > grain || many.Half == 0 || many.Half > many.P95 ||
		many.P95 > many.Request {
		t.Errorf("%+v", many)
	}
	if s := says(many); !strings.Contains(s, "99 % of runs stay below") || !strings.Contains(s, "with 95 % confidence, from 412 runs.") {
		t.Error(s)
	}
	// 0.05^(1/100) = 0.9705: a hundred runs support 97 %, and 99 % needs 299.
	few := Memory(peaks(100, draw), 0, Wish{})
	if s := says(few); few.Request != 0 || !strings.Contains(s, "199 more are needed. They can support a bound for 97 % of runs.") {
		t.Errorf("%+v: %s", few, s)
	}
	old := Memory(peaks(412, draw), 412*3600, Wish{HalfLife: 4 * units.Day})
	if s := says(old); old.Counted >= 412 || !strings.Contains(s, "for their age") {
		t.Errorf("%+v: %s", old, s)
	}
	// One in ten is killed at 6 GiB: nothing bounds 99 %, and 85 % has a bound.
	killed := func(i int) (units.Bytes, bool) {
		if i%10 == 0 {
			return 6 << 30, true
		}
		return units.Bytes(2+i%3) << 30, false
	}
	a := Memory(peaks(500, killed), 0, Wish{})
	if s := says(a); a.Request != 0 || a.Killed != 50 || a.Half != 3<<30 || a.P95 != 0 || !strings.Contains(s, "they need more than 6 GiB") {
		t.Errorf("%+v: %s", a, s)
	}
	if a := Memory(peaks(500, killed), 0, Wish{Share: 0.85}); a.Request != 4<<30 || !strings.Contains(says(a), "50 of them were killed") {
		t.Errorf("%+v", a)
	}
	if a := Memory(nil, 0, Wish{}); a.Request != 0 || !strings.Contains(says(a), "299 more are needed") {
		t.Errorf("%+v: %s", a, says(a))
	}
	// What was seen of a run that lived is never undercut: not by a share that leaves the
	// largest out, not by too few runs, not by a trial above what killed runs reached.
	for name, a := range map[string]PeakAdvice{
		"a share": Memory(peaks(500, func(i int) (units.Bytes, bool) { return units.Bytes(1+i%100/99*8) << 30, false }), 0, Wish{Share: 0.9}),
		"too few": Memory(peaks(50, func(i int) (units.Bytes, bool) { return units.Bytes(1+i%25/24*8) << 30, false }), 0, Wish{}),
		"with age": Memory(peaks(500, func(i int) (units.Bytes, bool) { return units.Bytes(1+8*((500-i)/500)) << 30, false }), 500*3600,
			Wish{HalfLife: units.Day}),
	} {
		if a.AtLeast != 9<<30 || a.Request != 0 && a.Request < a.AtLeast || !strings.Contains(says(a), "Not less than 9 GiB is asked for") {
			t.Errorf("%s: %+v", name, a)
		}
	}
	// 8 % a month over three months.
	grows := Memory(peaks(2190, func(i int) (units.Bytes, bool) {
		return units.Bytes(2e9 * math.Pow(1.08, float64(i)/730) * math.Exp(0.1*r.NormFloat64())), false
	}), 2190*3600, Wish{})
	if s := says(grows); math.Abs(grows.Growth-0.08) > 0.02 || !strings.Contains(s, "Peaks of memory grow by ") {
		t.Errorf("%+v: %s", grows.Growth, s)
	}
}
