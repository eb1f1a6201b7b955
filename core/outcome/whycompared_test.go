package outcome_test

import (
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/test/worlds"
)

// Every figure that is compared says how it is made, in the words of the outcome where that has them, and how it
// differs; the same world differs by nothing, another seed is not taken repeat by repeat.
func TestWhyOfWhatIsCompared(t *testing.T) {
	ran := func(scenario string, repeats int, seed uint64) *outcome.Outcome {
		w, err := worlds.Demo(scenario)
		if err != nil {
			t.Fatal(err)
		}
		w.Plan.Repeats, w.Plan.Seed = repeats, seed
		o, _, err := outcome.Simulate(w, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		return o
	}
	lean, spot := ran("weekday-lean", 3, 1), ran("spot-night", 3, 1)
	list := []*outcome.Outcome{lean, spot, lean}
	designs, demands := [][]byte{nil, nil, nil}, []string{"", "", ""}
	c := outcome.Compare(list, designs, demands)
	for _, m := range c.Metrics {
		for i, o := range list {
			why, ok := c.WhyOf(list, m.Key, i)
			if !ok || why.Of != "metric/"+m.Key || why.What == "" || why.How == "" || why.Interval == "" || strings.Contains(why.Value, "NaN") || why.Runs != m.Values[i].Runs ||
				(why.Against == "") != (i == 0) {
				t.Errorf("%s of %s: %v %+v", m.Key, o.Scenario, ok, why)
			}
			if i == 2 && why.Against != "The same as with weekday-lean." && !m.TooFew[i] {
				t.Errorf("%s: %s", m.Key, why.Against)
			}
		}
	}
	bill, _ := c.WhyOf(list, "cost-month", 1)
	if own, _ := spot.WhyOf("bill/all"); bill.Value != own.Value || bill.How != own.How || !strings.Contains(bill.Against, "taken repeat by repeat") {
		t.Errorf("%+v", bill)
	}
	if idle, _ := c.WhyOf(list, "empty-share", 1); idle.What != "Node time with nobody on it." || !strings.Contains(idle.Against, " points ") {
		t.Errorf("%+v", idle)
	}
	if _, ok := c.WhyOf(list, "nothing", 0); ok {
		t.Error("what is not compared is answered")
	}
	apart := []*outcome.Outcome{lean, ran("weekday-lean", 3, 2)}
	c = outcome.Compare(apart, designs[:2], demands[:2])
	if why, _ := c.WhyOf(apart, "delay-mean", 1); !strings.Contains(why.Against, "difference of the means") {
		t.Errorf("%+v", why)
	}
	single := []*outcome.Outcome{ran("weekday-lean", 1, 1), ran("spot-night", 1, 1)}
	c = outcome.Compare(single, designs[:2], demands[:2])
	if why, _ := c.WhyOf(single, "cost-month", 1); !strings.Contains(why.Against, "how sure it is cannot be said") || !strings.Contains(why.Interval, "one repeat") {
		t.Errorf("%+v", why)
	}
}
