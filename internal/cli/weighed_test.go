package cli

import (
	"bytes"
	"strings"
	"testing"

	"tachyphor/core/caching"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/weigh"
)

const second = float64(units.Second)

func seconds(mean, half float64) stats.Figure {
	return stats.Figure{Mean: mean * second, Half: half * second, Runs: 8}
}

// twoPlans is a weighing in which every figure is another.
func twoPlans() *weigh.Weighing {
	p95 := seconds(1_500, 10)
	fared := func(class string, jobs, lead, diff, half float64) weigh.Fared {
		return weigh.Fared{Class: class, Jobs: stats.Figure{Mean: jobs}, Lead: seconds(lead, 1), LeadDiff: seconds(diff, half)}
	}
	none := []weigh.Fared{fared("", 1_234, 600, 0, 0), fared("hull-app", 1_000, 500, 0, 0), fared("tide-charts", 234, 1_000, 0, 0)}
	none[0].Cold, none[0].P95 = seconds(50, 1), &p95
	cache := []weigh.Fared{fared("", 1_234, 580, -20, 2.5), fared("hull-app", 1_000, 510, 10, 0.5), fared("tide-charts", 234, 820, -185, 40)}
	f := &cache[0]
	f.Restore, f.Cold, f.Save = seconds(10, 1), seconds(15, 1), seconds(5, 1)
	f.Fresh, f.Stale, f.Saves = stats.Figure{Mean: 0.71}, stats.Figure{Mean: 0.18}, stats.Figure{Mean: 1_040}
	f.UpGB, f.DownGB = stats.Figure{Mean: 1_930}, stats.Figure{Mean: 0.25}
	f.Pays = weigh.PaysOff{Builds: 41, Paid: 8, Repeats: 8}
	cache[1].Pays = weigh.PaysOff{Repeats: 8}
	cache[2].Pays = weigh.PaysOff{Builds: 7, Paid: 3, Repeats: 8}
	money := func(what string, month, diff float64) weigh.Money {
		return weigh.Money{What: what, PerMonth: stats.Figure{Mean: month}, Difference: stats.Figure{Mean: diff}}
	}
	return &weigh.Weighing{
		Scenario: "yard", Currency: "EUR", Seed: 7, Repeats: 8, SpanNs: int64(8 * 24 * units.Hour), WarmupNs: int64(24 * units.Hour),
		Today: "none", Best: "changed-trunk",
		Words: []string{"Have it saved by the trunk when changed."},
		Plans: []weigh.Weighed{
			{
				Plan: weigh.Plan{Key: "none", Label: "no cache"}, Groups: none, Cost: stats.Figure{Mean: 1_000},
				Money: []weigh.Money{money("nodes", 990, 0), money("image pulls", 10, 0)},
			},
			{
				Plan: weigh.Plan{Key: "changed-trunk", Label: "saved when changed, by the trunk"}, Groups: cache,
				Cost: stats.Figure{Mean: 950}, CostDiff: stats.Figure{Mean: -50.4, Half: 3.2, Runs: 8}, KeptGB: stats.Figure{Mean: 12.5},
				Money: []weigh.Money{
					money("storage", 7.25, 7.25), money("held by restoring", 0.5, 0.5), money("nodes", 932.25, -57.75),
					money("image pulls", 10, 0),
				},
			},
		},
		Views: []weigh.View{{
			Without: 400 * second, Filling: 450 * second, Using: 300 * second, Usual: 1. / 3, Speak: "changed-trunk",
			Truths: []weigh.Truth{{Key: "none"}, {Key: "changed-trunk", Saves: -0.031}},
		}},
		Surface: &weigh.Surface{
			Class: "tide-charts", How: "By closed forms.",
			Plans: []weigh.SurfacePlan{
				{Key: "none"},
				{Key: "every-all", Agrees: true},
				{Key: "changed-trunk", Agrees: true, Pays: 3, Values: []weigh.QuantityAtBreak{{Quantity: caching.OfUp, At: 2.5e6}}},
			},
			Curves: []weigh.SurfaceCurve{{Axis: weigh.Axis{Quantity: caching.OfUp, Label: "upload", Today: 12e6}}},
		},
	}
}

// Every figure of a weighing is where it belongs, with its unit, sign and interval.
func TestWeighingIsWrittenFigureByFigure(t *testing.T) {
	p := plain(120)
	if err := p.weighing(twoPlans(), false); err != nil {
		t.Fatal(err)
	}
	want := `yard  1,234 builds in 7.0 d, 8 repeats of each plan, seed 7

Have it saved by the trunk when changed.

what the workspace takes of a build on average, on one scale
  none           █████████████████████████████████████████ 50 s
→ changed-trunk  ▤▤▤▤▤▤▤▤████████████▥▥▥▥ 30 s
▚ pulling what is baked   ▤ restoring   █ cold work   ▥ saving

none           no cache
changed-trunk  saved when changed, by the trunk

plan             lead time      less none  95 % within  fresh  stale  saves  pays after  EUR a month  a year
none           10 min 00 s              –  25 min 00 s      –      –      –           –        1,000  12,000  today
changed-trunk   9 min 40 s  −20.0 ± 2.5 s            –   71 %   18 %  1,040   41 builds      −50 ± 3    −605  best

class        builds     no cache        today         best  best less none         pays after  least
hull-app      1,000   8 min 20 s   8 min 20 s   8 min 30 s   +10.0 ± 0.5 s              never  none
tide-charts     234  16 min 40 s  16 min 40 s  13 min 40 s  −3.1 ± 0.7 min  7 builds (3 of 8)  changed-trunk

a build     without     filling       using  usual claim           truth  of plan
all      6 min 40 s  7 min 30 s  5 min 00 s   saves 33 %  costs 3 % more  changed-trunk

EUR a month     nodes  restoring  storage     sent  brought     kept
none           990.00          –        –        –        –        –
changed-trunk  932.25       0.50     7.25  1.93 TB   250 MB  12.5 GB
Restoring, cold work and saving: the part of the nodes' cost in which agents do that.

break-even of tide-charts    today  every-all  changed-trunk
upload                     12 MB/s                  2.5 MB/s
pays after                              never       3 builds
By closed forms.
Next: ~tachyphor weigh yard --apply best~ gives the scenario that plan, ~--plot FILE.png~ draws it.
`
	want = strings.ReplaceAll(want, "~", "`")
	if got := p.out.(*bytes.Buffer).String(); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

// Differences have their unit and sign, with an interval where there is one; a single
// build is told as one.
func TestFiguresOfAWeighing(t *testing.T) {
	for want, got := range map[string]string{
		"+20.0 s":        lessOrMore(seconds(20, 0)),
		"−2.0 ± 0.1 s":   lessOrMore(seconds(-2, 0.1)),
		"+3.0 ± 0.5 min": lessOrMore(seconds(180, 30)),
		"−4.0 ± 1.0 h":   lessOrMore(seconds(-4*3600, 3600)),
		"not followed":   pays(&weigh.PaysOff{}),
		"never":          pays(&weigh.PaysOff{Repeats: 8}),
		"1 build":        pays(&weigh.PaysOff{Builds: 1, Paid: 8, Repeats: 8}),
		"1,500 builds":   pays(&weigh.PaysOff{Builds: 1500, Paid: 1, Repeats: 1}),
		"saves nothing":  saves(0.004),
		"saves 52 %":     saves(0.52),
		"costs 3 % more": saves(-0.031),
		"1,234":          rounded(1234.4),
	} {
		if got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
}

// The bars of plans have one scale; one that would flatten the others is cut, and says so.
func TestBarsOfPlans(t *testing.T) {
	o := twoPlans()
	far, baked := o.Plans[1], o.Plans[1]
	far.Key, far.Groups = "volume", []weigh.Fared{{Restore: seconds(700, 1), Cold: seconds(100, 1)}}
	baked.Key, baked.Groups = "baked", []weigh.Fared{{Pull: seconds(20, 1), Cold: seconds(20, 1)}}
	o.Plans = append(o.Plans, far, baked)
	p := plain(120)
	p.carried(o)
	lines := strings.Split(p.out.(*bytes.Buffer).String(), "\n")
	length := func(line string) int {
		n := 0
		for _, m := range phaseMarks {
			n += strings.Count(line, m.mark)
		}
		return n
	}
	// 80 s would fill the room; none's 50 s and the cache's 30 s keep their proportion.
	room := 100 - len("changed-trunk") - 22
	for i, want := range []int{room * 50 / 80, room * 30 / 80, room, room * 40 / 80} {
		if n := length(lines[i]); n < want-1 || n > want+1 {
			t.Errorf("%d marks, want %d: %s", n, want, lines[i])
		}
	}
	if pulls := strings.Count(lines[3], phaseMarks[sim.Image].mark); pulls < room/4-1 || pulls > room/4+1 {
		t.Errorf("%d marks of pulling: %s", pulls, lines[3])
	}
	if !strings.HasPrefix(lines[1], "→") || !strings.Contains(lines[2], "… 13 min 20 s") || strings.Contains(lines[1], "…") {
		t.Error(strings.Join(lines, "\n"))
	}
}

// Differences between outcomes have sign, unit and interval, and a mark where they are
// not sure.
func TestDifferencesOfOutcomes(t *testing.T) {
	for want, x := range map[string]struct {
		unit       string
		mean, half float64
		sure       bool
	}{
		"−80 ± 11 s":            {"ns", -80e9, 11e9, true},
		"+1.5 s":                {"ns", 1.5e9, 0, true},
		"−29.6 ± 0.3 points":    {"share", -0.296, 0.003, true},
		"+5.0 points":           {"share", 0.05, 0, true},
		"+0.1 ± 0.2 × (unsure)": {"ratio", 0.1, 0.2, false},
		"−3.0 ± 1.0":            {"count", -3, 1, true},
		"0":                     {"count", 0, 0, false},
		"−1,234 ± 20":           {"money", -1234, 20, true},
	} {
		m := outcome.Metric{
			Unit: x.unit, Differences: []stats.Figure{{Mean: x.mean, Half: x.half, Runs: 8}}, Sure: []bool{x.sure},
			SureAlike: []bool{x.sure}, TooFew: []bool{false},
		}
		if got := difference(m, 0); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
	recorded := outcome.Metric{
		Unit: "money", Differences: []stats.Figure{{Mean: -12, Half: 3, Alike: 20, Runs: 8}}, Sure: []bool{true},
		SureAlike: []bool{false}, TooFew: []bool{false},
	}
	if got := difference(recorded, 0); got != "−12 ± 20 (this week only)" {
		t.Error(got)
	}
	recorded.TooFew[0] = true
	recorded.Differences[0].Half, recorded.Differences[0].Alike = 0, 0
	if got := difference(recorded, 0); got != "−12.00 (too few)" {
		t.Error(got)
	}
}
