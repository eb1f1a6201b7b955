package outcome_test

import (
	"math"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/test/worlds"
)

// Every number that an outcome shows can be asked for, by names that nothing else has.
func TestWhyOfEveryNumber(t *testing.T) {
	w, err := worlds.Demo("spot-night")
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats = 2
	o, _, err := outcome.Simulate(w, 2, nil)
	if err != nil {
		t.Fatal(err)
	}
	var of []string
	for _, g := range o.Groups {
		for _, figure := range []string{"mean", "max", "jobs", "warm", "wrong", "cost"} {
			of = append(of, "group/"+g.By+"/"+g.Name+"/"+figure)
		}
		for figure, f := range map[string]bool{"p50": g.Delay.P50 != nil, "p90": g.Delay.P90 != nil, "p95": g.Delay.P95 != nil, "p99": g.Delay.P99 != nil} {
			if f {
				of = append(of, "group/"+g.By+"/"+g.Name+"/"+figure)
			} else if _, ok := o.WhyOf("group/" + g.By + "/" + g.Name + "/" + figure); ok {
				t.Errorf("%s of %s is told though too few jobs bear it", figure, g.Name)
			}
		}
	}
	for _, c := range o.Causes {
		of = append(of, "cause/"+c.Cause)
	}
	of = append(of, "bill/all", "bill/job", "bill/floor")
	for _, p := range o.Cost.Pools {
		of = append(of, "bill/pool/"+p.Pool)
	}
	for _, u := range o.Cost.Uses {
		of = append(of, "bill/use/"+u.Use)
	}
	for _, p := range o.Cost.Parts {
		of = append(of, "bill/part/"+p.Part)
	}
	for _, x := range of {
		why, ok := o.WhyOf(x)
		if !ok || why.What == "" || why.How == "" || why.Interval == "" || why.Value == "" || strings.Contains(why.Value, "NaN") || why.Runs != 2 {
			t.Errorf("%s: %v %+v", x, ok, why)
		}
	}
	if why, _ := o.WhyOf("bill/all"); why.Value != outcome.Money(o.Cost.PerMonth, o.Cost.Currency) {
		t.Errorf("the bill is %s", why.Value)
	}
	for _, x := range []string{"", "group", "group/all/all/", "group/class/nobody/mean", "cause/", "bill", "bill/pool/nowhere", "bill/nothing", "group/class/a/b/c/d/mean"} {
		if why, ok := o.WhyOf(x); ok {
			t.Errorf("%q: %+v", x, why)
		}
	}
	w.Plan.Repeats = 1
	one, err := outcome.Glance(w, nil)
	if err != nil {
		t.Fatal(err)
	}
	if why, _ := one.WhyOf("group/all/" + one.Groups[0].Name + "/mean"); !strings.Contains(why.Interval, "one repeat") || math.IsNaN(one.Groups[0].Delay.Mean.Mean) {
		t.Errorf("of one run: %+v", why)
	}
}
