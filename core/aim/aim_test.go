package aim_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"tachyphor/core/aim"
)

// Aims read as they are written, and write as they are read.
func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"95 % of hull-firmware start within 60s":       "95 % of hull-firmware start within 1m",
		"99.5% of all jobs START within 5 min":         "99.5 % of all jobs start within 5m",
		"90 % of jobs end within 1h30m":                "90 % of all jobs end within 1h30m",
		"bill at most 2500 a month":                    "bill at most 2500 a month",
		"bill at most 2,500":                           "bill at most 2500 a month",
		"bill at most 30000 a year":                    "bill at most 30000 a year",
		"mean lead time at most 5m":                    "mean lead time at most 5m",
		"mean start delay of tide-charts at most 40 s": "mean start delay of tide-charts at most 40s",
		"no job fails for memory":                      "no job fails for memory",
		"no job of shore-desk fails":                   "no job of shore-desk fails",
		"nobody waits over 30m":                        "nobody waits over 30m",
		"  no   job of hull-firmware waits over 1h  ":  "no job of hull-firmware waits over 1h",
		"33.3333 % of jobs start within 100ms":         "33.3333 % of all jobs start within 0.1s",
	} {
		a, err := aim.Parse(text)
		if err != nil {
			t.Errorf("%q: %v", text, err)
			continue
		}
		if a.String() != want {
			t.Errorf("%q is %q", text, a)
		}
		if again, err := aim.Parse(a.String()); err != nil || again != a {
			t.Errorf("%q reads as %+v, %v", a, again, err)
		}
	}
}

// A fault has its place under the aim, and says what was expected there.
func TestFaults(t *testing.T) {
	for text, want := range map[string]string{
		"":                                     "^ expected an aim",
		"95 of all jobs start within 60s":      "\n   ^ expected \"%\"",
		"0 % of all jobs start within 60s":     "\n^ expected a share above 0",
		"100 % of all jobs start within 60s":   "say: nobody waits over",
		"95 % of all jobs strat within 60s":    "\n                 ^ expected \"start within\" or \"end within\"; \"strat\" is almost \"start\"",
		"95 % of start within 60s":             "\n        ^ expected \"all jobs\" or the name of a class",
		"95 % of all jobs start within soon":   "\n                              ^ expected a time",
		"95 % of all jobs start within":        "\n                             ^ expected a time",
		"95 % of all jobs start within 0s":     "expected a time",
		"95 % of all jobs start within 60s on": "\n                                  ^ expected nothing more",
		"bill at most much":                    "expected an amount",
		"bill at most -5":                      "expected an amount",
		"bill at most 5 a week":                "expected \"a month\" or \"a year\"",
		"bil at most 5":                        "\"bil\" is almost \"bill\"",
		"no job fails for love":                "expected \"memory\", \"disk\" or \"time\"",
		"no jobs fail":                         "expected \"job\"",
		"mean delay at most 5m":                "expected \"start delay\" or \"lead time\"",
		"NaN % of jobs start within 60s":       "expected a share as in",
		"1e400 % of jobs start within 60s":     "expected a share",
		"ß % of jobs":                          "^ expected a share",
		strings.Repeat("x", 300):               "at most 200 characters",
	} {
		_, err := aim.Parse(text)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func parsed(t *testing.T, text string) aim.Aim {
	t.Helper()
	a, err := aim.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// Verdicts are wrong as seldom as they say: of a share that is what was asked for, either
// verdict is wrong, and falls in at most five of a hundred; one clearly beyond is found.
func TestVerdictsHold(t *testing.T) {
	a := parsed(t, "95 % of all jobs start within 60s")
	r := rand.New(rand.NewPCG(1, 2))
	judged := func(share float64) aim.Verdict {
		var runs []aim.Tally
		for range 8 {
			n := 900 + 200*r.Float64()
			x := n * (share + 0.01*r.NormFloat64())
			runs = append(runs, aim.Tally{N: n, X: x})
		}
		return a.Judge(runs, 0.05).Verdict
	}
	count := map[aim.Verdict]int{}
	const trials = 4000
	for range trials {
		count[judged(0.95)]++
	}
	if wrong := float64(count[aim.Kept]+count[aim.Missed]) / trials; wrong > 0.065 || wrong < 0.035 {
		t.Errorf("%.3f are decided at the bound itself", wrong)
	}
	for range 100 {
		if judged(0.99) != aim.Kept || judged(0.90) != aim.Missed {
			t.Fatal("what is clear is not decided")
		}
	}
}

// What none should do is missed by one; one run decides nothing else; nobody keeps any aim.
func TestJudge(t *testing.T) {
	never := parsed(t, "nobody waits over 30m")
	for _, x := range []struct {
		a    aim.Aim
		runs []aim.Tally
		want aim.Verdict
	}{
		{never, []aim.Tally{{100, 0}}, aim.Undecided},
		{never, []aim.Tally{{100, 0}, {90, 0}}, aim.Kept},
		{never, []aim.Tally{{100, 1}}, aim.Missed},
		{parsed(t, "bill at most 100"), []aim.Tally{{1, 50}}, aim.Undecided},
		{parsed(t, "bill at most 100"), []aim.Tally{{1, 50}, {1, 50}}, aim.Kept},
		{parsed(t, "bill at most 100"), []aim.Tally{{1, 99}, {1, 101}}, aim.Undecided},
		{parsed(t, "mean lead time of x at most 5m"), []aim.Tally{{0, 0}, {0, 0}}, aim.Kept},
		{parsed(t, "mean lead time at most 5m"), []aim.Tally{{10, 10 * 301e9}, {20, 20 * 301e9}}, aim.Missed},
		{never, nil, aim.Undecided},
	} {
		r := x.a.Judge(x.runs, 0.05)
		if r.Verdict != x.want || math.IsNaN(r.Is) || math.IsNaN(r.Half) {
			t.Errorf("%s of %v: %+v", x.a, x.runs, r)
		}
	}
	a := parsed(t, "mean lead time at most 100s")
	if s := a.Short(aim.Reading{Is: 150e9}); math.Abs(s-0.5) > 1e-12 {
		t.Errorf("short by %v", s)
	}
}

// Whatever an aim is, it is read the same again or its fault has a place.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"95 % of all jobs start within 60s", "bill at most 5 a year", "no job of x fails for disk", "nobody waits over 1h", "\x00 %"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		a, err := aim.Parse(text)
		if err != nil {
			if _ = err.Error(); err.(*aim.Error).Line() == "" {
				t.Fatal("no line")
			}
			return
		}
		if again, err := aim.Parse(a.String()); err != nil || again.Kind != a.Kind || again.Class != a.Class {
			t.Fatalf("%q is %q, which reads as %+v, %v", text, a, again, err)
		}
	})
}

// An aim that nobody comes for is kept, and says that nobody did.
func TestNobodyCame(t *testing.T) {
	for _, text := range []string{"95 % of all jobs start within 60s", "nobody waits over 5m", "no job fails", "mean lead time at most 5m"} {
		a, err := aim.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		if r := a.Judge([]aim.Tally{{}, {}, {}}, 0.05); r.Verdict != aim.Kept || !r.Nobody {
			t.Errorf("%s: %+v", text, r)
		}
		x := 0.0
		if a.Kind == aim.Share {
			x = 1
		}
		if r := a.Judge([]aim.Tally{{N: 1, X: x}, {N: 1, X: x}, {N: 1, X: x}}, 0.05); r.Verdict != aim.Kept || r.Nobody {
			t.Errorf("%s: %+v", text, r)
		}
	}
}
