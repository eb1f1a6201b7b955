package caching_test

import (
	"math"
	"testing"

	"tachyphor/core/caching"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

func terms() caching.Terms {
	return caching.Terms{
		Work: 100, Cold: 50, Partial: 0.5, Change: 0.1, Trunk: 0.5, PerDay: 20, Size: 1e9, Down: 1e8, Up: 1e7, Pack: 5e7,
		Unpack: 2e8, Latency: 1,
	}
}

var whenChanged = document.CacheRule{Plan: document.Archive, Save: document.WhenChanged, SavedBy: document.ByTrunk}

func TestExpectByHand(t *testing.T) {
	e, ok := caching.Expect(terms(), whenChanged)
	// Restoring 1 + 10 + 5 s; a tenth of the builds is out of date and does 25 s; a
	// twentieth saves, 1 + 20 + 100 s.
	if !ok || e.Restore != 16 || math.Abs(e.Cold-2.5) > 1e-12 || math.Abs(e.Save-6.05) > 1e-12 || math.Abs(e.Fresh-0.9) > 1e-12 {
		t.Errorf("%+v", e)
	}
	// 122 s lost, 25.45 s won a build: after five more, and the first.
	if got := caching.Pays(terms(), whenChanged); got != 6 {
		t.Errorf("pays after %v", got)
	}
	all := whenChanged
	all.SavedBy = document.ByAll
	// A change request's own version is nobody else's: (1 − 0.05)(1 − 0.1).
	if e, _ := caching.Expect(terms(), all); math.Abs(e.Fresh-0.855) > 1e-12 || math.Abs(e.Saves-0.145) > 1e-12 {
		t.Errorf("%+v", e)
	}
	// Saved at an age of nothing, every trunk build saves.
	every := document.CacheRule{Plan: document.Archive, Save: document.SaveEvery, SavedBy: document.ByTrunk}
	quick := terms()
	quick.Up, quick.Pack, quick.Latency = 0, 0, 0
	if e, _ := caching.Expect(quick, every); math.Abs(e.Saves-0.5) > 1e-9 || math.Abs(e.Fresh-0.9) > 1e-9 {
		t.Errorf("%+v", e)
	}
	// An image made anew hardly ever holds nothing up to date, one made all the time does.
	for every, fresh := range map[units.Duration]float64{units.Second: 0.9, 3000 * units.Day: 0} {
		if e, _ := caching.Expect(terms(), document.CacheRule{Plan: document.Baked, Every: every}); math.Abs(e.Fresh-fresh) > 0.001 {
			t.Errorf("%v: %+v", every, e)
		}
	}
	for _, none := range []document.CacheRule{
		{Plan: document.Volume},
		{Plan: document.NodeDisk},
		{Plan: document.Archive, Save: document.WhenChanged, Expires: units.Day},
	} {
		if _, ok := caching.Expect(terms(), none); ok {
			t.Errorf("%+v has a closed form", none)
		}
	}
}

// On one side of a break-even the plan wins, on the other none.
func TestBreakEven(t *testing.T) {
	found := 0
	for _, q := range caching.Quantities() {
		at, ok := caching.BreakEven(terms(), whenChanged, q)
		low, high := q.Range(terms())
		gain := func(x float64) float64 {
			e, _ := caching.Expect(terms().With(q, x), whenChanged)
			return terms().With(q, x).Cold - e.Carried()
		}
		if !ok {
			for _, x := range q.Steps(terms(), 200) {
				if gain(x) <= 0 {
					t.Errorf("%s: none found, yet at %v it does not pay", q, x)
				}
			}
			continue
		}
		found++
		if at < low || at > high || gain(at*0.999)*gain(at*1.001) >= 0 || math.Abs(gain(at)) > 1e-6 {
			t.Errorf("%s: %v gains %v", q, at, gain(at))
		}
	}
	if found < 4 {
		t.Errorf("%d break-evens", found)
	}
	// The size by hand: 50 = 2.5 + 1.05 + s(1/1e8 + 1/2e8 + 0.05/5e7 + 0.05/1e7).
	if at, _ := caching.BreakEven(terms(), whenChanged, caching.OfSize); math.Abs(at-46.45/(1e-8+5e-9+1e-9+5e-9)) > 1 {
		t.Errorf("%v", at)
	}
}
