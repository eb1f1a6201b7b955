package sizing

import (
	"slices"
	"testing"

	"tachyphor/core/units"
)

func seen(pod, job string, from, seconds float64, samples int) Run {
	return Run{Pod: pod, Container: "agent", Job: job, Began: from, Wall: units.Duration(seconds * 1e9), Samples: samples}
}

// Runs that overlap are one, told by the sighting that tells most; runs of one pod one
// after the other are several, and pods of one name in other containers too.
func TestTogether(t *testing.T) {
	a, b := seen("p", "", 0, 100, 10), seen("p", "", 50, 200, 20)
	known := seen("p", "j1", 0, 90, 9)
	later, other := seen("p", "", 300, 100, 10), seen("q", "", 0, 100, 10)
	side := a
	side.Container = "side"
	for _, c := range []struct {
		name    string
		sources [][]Run
		want    []Run
	}{
		{"twice the same file", [][]Run{{a, later, other}, {a, later, other}}, []Run{a, later, other}},
		{"more of its time", [][]Run{{a}, {b}}, []Run{b}},
		{"its job goes first", [][]Run{{b}, {known}}, []Run{known}},
		{
			"one that spans two",
			[][]Run{{seen("p", "", 0, 10, 2), seen("p", "", 20, 10, 2)}, {seen("p", "", 0, 30, 4)}},
			[]Run{seen("p", "", 0, 30, 4)},
		},
		{"containers are apart", [][]Run{{a}, {side}}, []Run{a, side}},
		{"nothing", nil, nil},
	} {
		got := Together(c.sources...)
		if len(got) != len(c.want) {
			t.Errorf("%s: %d runs, want %d", c.name, len(got), len(c.want))
			continue
		}
		for i := range got {
			if got[i].Sighting() != c.want[i].Sighting() {
				t.Errorf("%s: %+v, want %+v", c.name, got[i].Sighting(), c.want[i].Sighting())
			}
		}
	}
}

// What is told again is skipped, or takes the place of what is known when it tells more;
// one that tells more of one known run and less of another does both.
func TestMerge(t *testing.T) {
	at := func(pod, job string, from, seconds float64, samples int) Sighting {
		r := seen(pod, job, from, seconds, samples)
		return r.Sighting()
	}
	known := []Sighting{at("p", "", 0, 100, 10), at("p", "j", 200, 100, 10), at("q", "", 0, 100, 10)}
	told := []Sighting{
		at("p", "", 0, 100, 10),   // as well known
		at("p", "", 250, 300, 30), // longer, but without its job
		at("q", "k", 10, 50, 5),   // with its job
		at("p", "", 90, 120, 12),  // longer than the first; the second is known with its job
		at("r", "", 0, 100, 10),   // new
	}
	skip, gone := Merge(told, known)
	if want := []bool{true, true, false, true, false}; !slices.Equal(skip, want) {
		t.Errorf("skipped %v, want %v", skip, want)
	}
	if want := []bool{true, false, true}; !slices.Equal(gone, want) {
		t.Errorf("gone %v, want %v", gone, want)
	}
	if skip, gone := Merge(nil, nil); len(skip)+len(gone) != 0 {
		t.Error("of nothing")
	}
}
