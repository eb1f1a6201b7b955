package weigh

import (
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// answer is a weighing of plans whose mean job ends so many seconds later than the 400 s
// without a cache, ± half, at so much more a month.
func answer(perHour float64, today string, plans ...Weighed) *Weighing {
	o := &Weighing{
		Currency: "EUR", PerHour: perHour, Today: today, Repeats: 8, SpanNs: int64(units.Month),
		Plans: []Weighed{{Plan: Plan{Key: None, Label: "no cache"}}},
	}
	o.Plans[0].Groups = []Fared{{Jobs: stats.Figure{Mean: 9_000}, Lead: stats.Figure{Mean: 400e9}}}
	for _, p := range plans {
		f := &p.Groups[0]
		f.Lead.Mean = 400e9 + f.LeadDiff.Mean
		f.Sure = f.LeadDiff.Sure()
		p.Worth = -f.LeadDiff.Mean/float64(units.Hour)*9_000*perHour - p.CostDiff.Mean
		o.Plans = append(o.Plans, p)
	}
	o.Best, o.AsGood = choose(o)
	return o
}

func later(key string, seconds, half, money float64) Weighed {
	return Weighed{
		Plan:     Plan{Key: key, Label: "as " + key},
		Groups:   []Fared{{LeadDiff: stats.Figure{Mean: seconds * 1e9, Half: half * 1e9, Runs: 8}}},
		CostDiff: stats.Figure{Mean: money, Half: 1, Runs: 8},
	}
}

// The plan that is worth most is chosen where an hour has a worth, the one under which
// the mean job ends soonest where it has none; of those within a fiftieth, today's, else
// the one that is least to keep up; none where no plan is surely better.
func TestChoosingAPlan(t *testing.T) {
	for name, x := range map[string]struct {
		o      *Weighing
		best   string
		asGood []string
		says   string
	}{
		"the soonest": {
			answer(0, None, later("every-all", -10, 1, -5), later("node-disk", -40, 1, 900)), "node-disk", nil,
			"Have as node-disk: the mean job with a workspace ends after 6 min 00 s instead of 6 min 40 s, 40 s ± 1 s sooner, and " +
				"the bill is EUR 900.00 a month more.",
		},
		// 9,000 jobs × 40 s are 100 h a month.
		"the most worth": {
			answer(5, None, later("every-all", -10, 1, -5), later("node-disk", -40, 1, 900)), "every-all", nil,
			"EUR 5.00 a month less.",
		},
		"dear hours": {
			answer(50, None, later("every-all", -10, 1, -5), later("node-disk", -40, 1, 900)), "node-disk", nil,
			"EUR 900.00 a month more.",
		},
		"the least to keep up": {answer(0, None, later("every-all", -41, 1, 0), later("changed-trunk", -38, 1, 0),
			later("node-disk", -41.5, 1, 0)), "changed-trunk", []string{"every-all", "node-disk"}, "the bill is as good as the same."},
		"today's": {
			answer(0, "every-all", later("every-all", -38, 1, 0), later("changed-trunk", -41, 1, 0)), "every-all",
			[]string{"changed-trunk"},
			"The scenario has it already.",
		},
		"not today's, if it is far": {
			answer(0, "every-all", later("every-all", -32, 1, 0), later("changed-trunk", -41, 1, 0)),
			"changed-trunk", nil, "Have as changed-trunk",
		},
		"none is sure": {
			answer(0, "every-all", later("every-all", 11, 0.2, 28), later("changed-trunk", -3, 4, 0)), None, nil,
			"No cache: with none of the plans does the mean job surely end sooner; the nearest, as changed-trunk, changes its lead " +
				"time by 3 s ± 4 s sooner.",
		},
		"none is worth it": {answer(1, None, later("every-all", -10, 1, 900)), None, nil, "No cache"},
	} {
		if x.o.Best != x.best || !slices.Equal(x.o.AsGood, x.asGood) {
			t.Errorf("%s: %s, as good %v", name, x.o.Best, x.o.AsGood)
		}
		if got := x.o.advice(); !strings.Contains(got, x.says) {
			t.Errorf("%s: %q, want %q", name, got, x.says)
		}
	}
	o := answer(0, None, later("every-all", 11, 0.2, 28), later("volume", 3, 4, 0), later(byProject, -38, 1, 0), later("node-disk", -41, 0, 0))
	if got := o.harmful(); got != "Worse than no cache: as every-all (11 s ± 200 ms later)." {
		t.Error(got)
	}
	if got := o.near(); got != "As good within 2 % and more to keep up: as node-disk (41 s sooner)." {
		t.Error(got)
	}
}

// A mix is told class by class.
func TestMixedPlanInWords(t *testing.T) {
	volume, disk := document.CacheRule{Plan: "volume"}, document.CacheRule{Plan: "node-disk"}
	a, b := later("volume", -10, 1, 0), later("node-disk", -12, 1, 0)
	a.Rules, b.Rules = []document.CacheRule{volume}, []document.CacheRule{disk}
	mix := later(Best, -50, 1, 0)
	volume.Classes, disk.Classes = []string{"hull"}, []string{"tide", "shore"}
	mix.Rules = []document.CacheRule{disk, volume}
	o := answer(0, None, a, b, mix)
	if got := o.advice(); !strings.HasPrefix(got, "Have as node-disk for tide, shore; as volume for hull: the mean job") {
		t.Error(got)
	}
}
