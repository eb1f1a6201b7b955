package weigh_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/weigh"
)

// askEvery asks every number of a weighing why it is what it is, and returns how many there were.
func askEvery(t testing.TB, o *weigh.Weighing) (n int) {
	t.Helper()
	ask := func(of, value string) {
		t.Helper()
		n++
		why, ok := o.WhyOf(of)
		if !ok || why.Of != of || why.What == "" || why.How == "" || why.Interval == "" || !strings.HasPrefix(why.Value, value) || strings.Contains(fmt.Sprint(why), "NaN") {
			t.Errorf("%s: %v, expected %q: %+v", of, ok, value, why)
		}
	}
	for _, p := range o.Plans {
		for _, g := range p.Groups {
			class := g.Class
			if class == "" {
				class = weigh.AllClasses
			}
			of := "plan/" + p.Key + "/" + class + "/"
			ask(of+"lead", outcome.Time(g.Lead))
			ask(of+"less", outcome.Time(g.LeadDiff))
			for _, figure := range []string{"start", "pull", "restore", "work", "cold", "save", "wipe", "fresh", "stale", "missed", "saves", "down", "up", "pays"} {
				ask(of+figure, "")
			}
			if _, ok := o.WhyOf(of + "p95"); ok != (g.P95 != nil) {
				t.Errorf("%sp95 is told: %v", of, ok)
			}
			if why, _ := o.WhyOf(of + "pays"); g.Pays.Repeats > 0 && g.Pays.Paid == 0 && why.Value != "never" {
				t.Errorf("%+v", why)
			}
		}
		ask("bill/"+p.Key+"/month", outcome.Money(p.Cost, o.Currency))
		ask("bill/"+p.Key+"/more", outcome.Money(p.CostDiff, o.Currency))
		ask("bill/"+p.Key+"/kept", "")
		if _, ok := o.WhyOf("bill/" + p.Key + "/worth"); ok != (o.PerHour > 0) {
			t.Errorf("worth of %s is told: %v", p.Key, ok)
		}
		for _, m := range p.Money {
			ask("money/"+p.Key+"/"+m.What, outcome.Money(m.PerMonth, o.Currency))
		}
		if why, _ := o.WhyOf("bill/" + p.Key + "/month"); strings.Contains(why.How, "does not say") != (len(p.Missing) > 0) {
			t.Errorf("%s lacks %v: %s", p.Key, p.Missing, why.How)
		}
	}
	for _, x := range o.Peak.Plans {
		ask("peak/"+x.Key+"/alone", outcome.Time(x.Alone))
		ask("peak/"+x.Key+"/truth", outcome.Time(x.Truth))
		ask("peak/"+x.Key+"/more", outcome.Time(x.More))
	}
	for _, of := range []string{"", "plan", "plan/none", "plan/none/all classes/much", "plan/none/nobody/lead", "plan/nothing/all classes/lead", "bill/none/year", "money/none/nothing", "peak/none/less", "figure/none/lead"} {
		if why, ok := o.WhyOf(of); ok {
			t.Errorf("%q: %+v", of, why)
		}
	}
	return n
}
