package forecast_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/forecast"
	"tachyphor/core/outcome"
	"tachyphor/core/units"
)

// askEvery asks every number of a forecast why it is what it is, and returns how many there were.
func askEvery(t testing.TB, a *forecast.Forecast) (n int) {
	t.Helper()
	ask := func(of, value, sure string) {
		t.Helper()
		n++
		why, ok := a.WhyOf(of)
		if !ok || why.Of != of || why.What == "" || why.How == "" || !strings.HasPrefix(why.Value, value) || !strings.Contains(why.Interval, sure) ||
			strings.Contains(fmt.Sprint(why), "NaN") {
			t.Errorf("%s: %v, expected %q and %q: %+v", of, ok, value, sure, why)
		}
	}
	count := func(x float64) string { return units.Count(int64(x)) }
	short := func(x float64) string { return units.Duration(x).Short() }
	band := func(of string, b outcome.Band, write func(float64) string) {
		t.Helper()
		ask(of, fmt.Sprintf("%s (%s to %s)", write(b.Mid), write(b.Low), write(b.High)), "Nine in ten weeks")
	}
	band("jobs", a.Jobs, count)
	ask("bill", units.Amount(a.Bill.Mid).Short(a.Currency), "Nine in ten weeks")
	ask("level", count(a.Level.Expected), a.Level.Says)
	for _, d := range a.Delay {
		band(fmt.Sprintf("delay/%g", d.P), d.Delay, short)
	}
	for i, d := range a.Days {
		band(fmt.Sprintf("day/%d/jobs", i+1), d.Jobs, count)
		band(fmt.Sprintf("day/%d/delay", i+1), d.Delay, short)
	}
	for i, h := range a.Hours {
		band(fmt.Sprintf("hour/%d/jobs", i), h.Jobs, count)
		band(fmt.Sprintf("hour/%d/delay", i), h.Delay, short)
		for _, what := range []string{"waiting", "agents", "nodes"} {
			ask(fmt.Sprintf("hour/%d/%s", i, what), "", "Nine in ten weeks")
		}
	}
	for i, q := range a.Queues {
		band(fmt.Sprintf("queue/%d/jobs", i+1), q.Jobs, count)
		band(fmt.Sprintf("queue/%d/delay", i+1), q.Delay, short)
		ask(fmt.Sprintf("queue/%d/share", i+1), fmt.Sprintf("%.0f %%", 100*q.Share), "no interval")
	}
	if c := a.Came; c != nil {
		for i, h := range c.Held {
			sure := "within the band"
			if !h.Within {
				sure = "outside the band"
			}
			ask(fmt.Sprintf("came/%d/expected", i+1), "", sure)
			ask(fmt.Sprintf("came/%d/observed", i+1), "", sure)
		}
		if c.Scored > 0 {
			ask("score/simulation", short(c.Model), "no interval of its own")
			ask("score/again", short(c.Again), "no interval of its own")
			ask("score/hour", short(c.ByHour), "no interval of its own")
		}
	}
	for _, of := range []string{
		"", "cost", "delay", "delay/42", "day/0/jobs", "day/8/jobs", "day/1/nodes", "day/x/jobs", "hour/168/jobs", "hour/-1/jobs", "hour/0/bill", "queue/0/jobs", "queue/99/jobs", "came/0/expected", "came/99/observed",
		"came/1/much", "score/best", "score",
	} {
		if why, ok := a.WhyOf(of); ok {
			t.Errorf("%q: %+v", of, why)
		}
	}
	return n
}

// A forecast of one week says that it does not know how weeks differ, that of an empty one has no numbers beside its own, and days
// are named as they are.
func TestWhyAtTheEnds(t *testing.T) {
	a := &forecast.Forecast{
		Currency: "EUR", Monday: start, Drawn: 1, Repeats: 24, Level: forecast.WeekLevel{Expected: 9600, Weeks: 1, Says: "It rests on one week."},
		Days: []forecast.DayForecast{{Day: start, Jobs: outcome.Band{Low: 0, Mid: 3, High: 7}}}, Hours: make([]forecast.HourAhead, 168),
		Came: &forecast.CameAhead{Until: start.AddDate(0, 0, 1), Held: []forecast.HeldAhead{{What: "jobs on Monday", Unit: "jobs", Observed: 9}}},
	}
	if n := askEvery(t, a); n != 3+2+168*5+2 {
		t.Errorf("%d numbers", n)
	}
	for of, has := range map[string]string{
		"level": "the one whole week before", "day/1/jobs": "from the week before", "hour/167/nodes": "mean over the hour",
	} {
		if why, _ := a.WhyOf(of); !strings.Contains(why.How, has) {
			t.Errorf("%s: %s", of, why.How)
		}
	}
	for of, has := range map[string]string{"day/1/jobs": "Monday, 31 August", "hour/167/nodes": "Sunday 23:00 to 24:00", "came/1/observed": "Jobs on Monday, as it came"} {
		if why, _ := a.WhyOf(of); !strings.Contains(why.What, has) {
			t.Errorf("%s: %s", of, why.What)
		}
	}
	if why, _ := a.WhyOf("level"); why.Value != "9,600" {
		t.Errorf("bounds of one week: %+v", why)
	}
	askEvery(t, new(forecast.Forecast))
}
