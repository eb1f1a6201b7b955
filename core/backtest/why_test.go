package backtest_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/backtest"
	"tachyphor/core/units"
)

func short(ns float64) string { return units.Duration(ns).Short() }

// askEvery asks every number of a backtest why it is what it is, and returns how many there were: each says what it is, how it is
// made and what chance explains, as the backtest itself does.
func askEvery(t testing.TB, b *backtest.Backtest) (n int) {
	t.Helper()
	ask := func(of, value, sure string) {
		t.Helper()
		n++
		why, ok := b.WhyOf(of)
		if !ok || why.Of != of || why.What == "" || why.How == "" || !strings.HasPrefix(why.Value, value) || !strings.Contains(why.Interval, sure) ||
			strings.Contains(fmt.Sprint(why), "NaN") || strings.Contains(fmt.Sprint(why), "Inf") {
			t.Errorf("%s: %v, expected %q and %q: %+v", of, ok, value, sure, why)
		}
	}
	pair := func(name string, off, judged bool, predicted, observed string) {
		t.Helper()
		sure := "What happened"
		switch {
		case off:
			sure = "further off than chance explains"
		case !judged:
			sure = "It is not judged"
		}
		ask(name+"/predicted", predicted, sure)
		ask(name+"/observed", observed, "It is what happened")
		if why, _ := b.WhyOf(name + "/predicted"); strings.Contains(why.Interval, "further off than chance") != off {
			t.Errorf("%s: off is %v: %s", name, off, why.Interval)
		}
	}
	for _, g := range b.Groups {
		name := g.Name
		if g.By == "all" {
			name = "all jobs"
		}
		for what, list := range map[string][]backtest.Percentile{"delay": g.Delay, "lead": g.Lead} {
			for _, p := range list {
				of := fmt.Sprintf("group/%s/%s/%s/%g", g.By, name, what, p.P)
				pair(of, p.Off, p.Judged, short(p.Predicted), short(p.Observed))
				if p.Observed > 0 {
					ask(of+"/ratio", fmt.Sprintf("%.2f", p.Ratio), "ratio of 1")
				}
			}
		}
	}
	for _, p := range b.Phases {
		pair("phase/"+p.Phase, p.Off, true, short(p.Predicted), short(p.Observed))
	}
	for _, c := range b.Counted {
		pair(c.What, c.Off, true, fmt.Sprintf("%.1f", c.Predicted), fmt.Sprintf("%.1f", c.Observed))
	}
	if b.Paid != nil {
		pair("paid", b.Paid.Off, true, units.Amount(b.Paid.Predicted).Short(b.Currency), units.Amount(b.Paid.Paid).Short(b.Currency))
	}
	ask("score/all", short(b.Scores.Model), short(b.Verdict.Bound))
	ask("score/own", short(b.Scores.Own), short(b.Verdict.Bound))
	if b.Scores.Compare > 0 {
		ask("score/simulation", short(b.Scores.OfThese), "no interval of its own")
		ask("score/again", short(b.Scores.Again), "no interval of its own")
		ask("score/hour", short(b.Scores.ByHour), "no interval of its own")
	}
	for _, x := range b.Tried {
		sure := "it is nearer"
		if !x.Sure {
			sure = "may be chance"
		}
		ask("fact/"+x.Fact+"/share", fmt.Sprintf("%.0f %%", 100*x.Share), sure)
		if x.Share > 0 {
			ask("fact/"+x.Fact+"/would", x.Would, sure)
			ask("fact/"+x.Fact+"/p95", "", "same draws")
			ask("fact/"+x.Fact+"/bill", "", "same draws")
		} else if _, ok := b.WhyOf("fact/" + x.Fact + "/would"); ok {
			t.Errorf("%s has a nearer value", x.Fact)
		}
	}
	for _, of := range []string{
		"", "group", "group/all/all jobs/delay", "group/all/all jobs/delay/95", "group/all/all jobs/delay/42/predicted", "group/class/nobody/delay/95/predicted",
		"group/all/all jobs/work/95/predicted", "group/all/all jobs/delay/95/much", "phase/sleep/predicted", "phase", "people/predicted", "score/", "score/best", "fact/", "fact/links.none.down/share",
	} {
		if why, ok := b.WhyOf(of); ok {
			t.Errorf("%q: %+v", of, why)
		}
	}
	return n
}

// At the ends of their ranges numbers say so: nobody waited, too few to judge, off by less than is let pass, an answer that was
// kept before more was told.
func TestWhyAtTheEnds(t *testing.T) {
	second := float64(units.Second)
	b := &backtest.Backtest{
		Repeats: 16, Currency: "EUR", Jobs: 120,
		Groups: []backtest.HeldBeside{
			{By: "all", Jobs: 120, Delay: []backtest.Percentile{
				{P: 50, Predicted: second / 1000, Ratio: 1, Low: 1, High: 1, Judged: true, Needs: 20},
				{P: 95, Predicted: 90 * second, Observed: 60 * second, Ratio: 1.5, Low: 1.2, High: 1.9, Needs: 200},
			}},
			{By: "class", Name: "hull-firmware", Jobs: 100, Lead: []backtest.Percentile{
				{P: 90, Predicted: 10.5 * second, Observed: 10 * second, Ratio: 1.05, Low: 1.02, High: 1.08, Judged: true, Needs: 100},
			}},
		},
		Tried: []backtest.Explained{{Fact: "agents.start", Says: "6s"}, {Fact: "agents.join", Says: "1.5s", Would: "3s", Low: "2s", High: "4s", Share: 0.1, Like: true, P95: -second, Cost: -12.5}},
	}
	if n := askEvery(t, b); n != 2+3+3+2+1+4 {
		t.Errorf("%d numbers", n)
	}
	for of, has := range map[string]string{
		"group/all/all jobs/delay/50/observed":        "What happened is within that",
		"group/all/all jobs/delay/95/predicted":       "at least 200 jobs are needed",
		"group/class/hull-firmware/lead/90/predicted": "by no more than a second, which is let pass",
		"fact/agents.join/would":                      "do not tell it apart from agents.start",
		"group/class/hull-firmware/lead/90/ratio":     "10.2 s and 10.8 s",
		"score/own": "chance explains a score of up to",
	} {
		if why, _ := b.WhyOf(of); !strings.Contains(why.Interval, has) {
			t.Errorf("%s: %s", of, why.Interval)
		}
	}
	if why, _ := b.WhyOf("fact/agents.join/bill"); why.Value != "EUR 12.50 less" {
		t.Errorf("%+v", why)
	}
	if why, ok := b.WhyOf("group/all/all jobs/delay/50/ratio"); ok {
		t.Errorf("a ratio to nothing: %+v", why)
	}
	askEvery(t, new(backtest.Backtest))
}
