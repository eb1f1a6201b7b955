package forecast_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"tachyphor/core/forecast"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

var start = time.Date(2026, 8, 31, 0, 0, 0, 0, time.UTC)

const csvHead = "id,submitted,started,ended,class,work\n"

// text is a world whose nodes are short at ten in the morning.
func text(jobs string, by float64) string {
	arrivals := fmt.Sprintf(`, arrivals: {hours: [{when: "Mon-Fri 10:00-11:00", perHour: %g}, {when: "Mon-Fri 08:00-18:00", perHour: %g}, {when: "Mon-Sun 00:00-24:00", perHour: %g}]}`,
		420*by, 60*by, 4*by)
	out := worlds.Small(jobs, arrivals, "{span: 7d, warmup: 1h}")
	out = strings.Replace(out, "start: 2026-09-01T00:00:00Z", "start: 2026-08-31T00:00:00Z", 1)
	return strings.Replace(out, "min: 1, max: 20", "min: 0, max: 1, boot: {median: 90s, p95: 120s}", 1)
}

// lived is a log of weeks as they went, each with so many times the usual jobs.
func lived(t testing.TB, seed uint64, by []float64) string {
	t.Helper()
	var b strings.Builder
	b.WriteString(csvHead)
	for week, times := range by {
		in, err := worlds.Read(text("", times), "")
		if err != nil {
			t.Fatal(err)
		}
		w, faults := world.Assemble(in)
		if err := faults.Err(); err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, seed, week, nil)
		if err != nil {
			t.Fatal(err)
		}
		at := func(d units.Duration) string {
			return start.AddDate(0, 0, 7*week).Add(time.Duration(d - w.Plan.Warmup)).Format("2006-01-02T15:04:05.000Z")
		}
		for j := range trace.Records {
			r, job := &trace.Records[j], &trace.Jobs.List[j]
			if over := trace.Over(j); job.Submitted >= w.Plan.Warmup && r.Started >= 0 && over >= 0 {
				fmt.Fprintf(&b, "%d-%s,%s,%s,%s,k,%.3f\n", week, trace.Jobs.ID(j), at(job.Submitted), at(r.Started), at(over), (over - r.Started).Seconds())
			}
		}
	}
	return b.String()
}

func ask(t testing.TB, csv string, o forecast.Options) (*forecast.Question, error) {
	t.Helper()
	in, err := worlds.Read(text("  jobs: {file: jobs.csv}\n", 1), csv)
	if err != nil {
		t.Fatal(err)
	}
	return forecast.Ask(in, o)
}

func try(t testing.TB, csv string, o forecast.Options) *forecast.Forecast {
	t.Helper()
	q, err := ask(t, csv, o)
	if err != nil {
		t.Fatal(err)
	}
	a, err := q.Try(2, nil)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// Weeks lie within the bands about as often as is said, be they alike, differing or growing; the queue of the
// morning is foretold. Beside the week before it is nearer always, and beside all weeks before, which are as
// good as can be had where all is as it was, nearly as near; where jobs grow it is nearer than both.
func TestWhatComes(t *testing.T) {
	tries := 4
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		tries = 60
	}
	draw := rand.New(rand.NewPCG(7, 8))
	for name, week := range map[string]func(n int) float64{
		"alike":     func(int) float64 { return 1 },
		"differing": func(int) float64 { return math.Exp(0.12 * draw.NormFloat64()) },
		"growing":   func(n int) float64 { return 0.7 * math.Exp(0.06*float64(n)+0.02*draw.NormFloat64()) },
	} {
		within, held, hoursIn, hours := 0, 0, 0, 0
		var model, again, byHour float64
		for one := range tries {
			by := make([]float64, 8)
			for n := range by {
				by[n] = week(n)
			}
			a := try(t, lived(t, uint64(one+1), by), forecast.Options{Monday: start.AddDate(0, 0, 49), Until: start.AddDate(0, 0, 56)})
			c := a.Came
			if c == nil || len(a.Weeks) != 7 || a.Drawn != 4 || !a.Monday.Equal(start.AddDate(0, 0, 49)) || len(a.Hours) != 168 || len(a.Days) != 7 {
				t.Fatalf("%+v", a)
			}
			if n := askEvery(t, a); n < 860 {
				t.Errorf("%d numbers", n)
			}
			for _, h := range c.Held {
				if held++; h.Within {
					within++
				}
			}
			hoursIn, hours = hoursIn+c.Within, hours+c.Hours
			model, again, byHour = model+c.Model, again+c.Again, byHour+c.ByHour
			if (a.Level.Growth > 0) != (name == "growing") && tries == 4 {
				t.Errorf("%s: %+v", name, a.Level)
			}
			mornings := 0
			for _, x := range a.Queues {
				if x.From == 10 && x.Days[len(x.Days)-1] < 5 && strings.Contains(x.Says, " 10:00 to 1") {
					mornings += len(x.Days)
				}
			}
			if name == "alike" && mornings != 5 {
				t.Errorf("queues: %+v", a.Queues)
			}
			if a.Bill.Low > a.Bill.Mid || a.Bill.Mid > a.Bill.High || a.Bill.Mid <= 0 {
				t.Errorf("bill: %+v", a.Bill)
			}
		}
		t.Logf("weeks %s: %d of %d within their bands, %d of %d hours; scores %v, %v as the week before, %v as all weeks before", name, within, held,
			hoursIn, hours, units.Duration(model).Short(), units.Duration(again).Short(), units.Duration(byHour).Short())
		if within*100 < held*70 || hoursIn*100 < hours*70 || model > 0.9*again || model > 1.2*byHour || name == "growing" && model > 0.9*byHour {
			t.Error("too seldom, or too far off")
		}
	}
}

// A trend is followed where the weeks bear it, and a week like none other is left out.
func TestLevels(t *testing.T) {
	count := func(by []float64, monday time.Time) forecast.WeekLevel {
		var b strings.Builder
		b.WriteString(csvHead)
		for week, n := range by {
			for i := range int(n) {
				at := start.AddDate(0, 0, 7*week).Add(time.Duration(float64(7*24*time.Hour) * (float64(i) + 0.5) / n))
				fmt.Fprintf(&b, "%d-%d,%s,,,k,60\n", week, i, at.Format("2006-01-02T15:04:05.000Z"))
			}
		}
		return try(t, b.String(), forecast.Options{Monday: monday, Until: start.AddDate(0, 0, 7*len(by))}).Level
	}
	next := func(n int) time.Time { return start.AddDate(0, 0, 7*n) }
	for name, x := range map[string]struct {
		by              []float64
		expected, off   float64
		growth, narrow  float64
		weeks, further  int
		wide, says, not string
	}{
		"steady":         {by: []float64{200, 210, 195, 205, 198, 202, 207, 199}, expected: 202, off: 6, weeks: 8, says: "no trend"},
		"growing":        {by: []float64{100, 111, 119, 134, 147, 160, 178, 195}, expected: 214, off: 8, growth: 1.1, weeks: 8, says: "on that before"},
		"growing, later": {by: []float64{100, 111, 119, 134, 147, 160, 178, 195}, expected: 259, off: 15, growth: 1.1, weeks: 8, further: 2},
		"a holiday":      {by: []float64{200, 210, 195, 20, 205, 198, 202}, expected: 202, off: 6, weeks: 6},
		"a gap":          {by: []float64{200, 0, 205}, expected: 202, off: 5, weeks: 2},
		"two":            {by: []float64{200, 220}, expected: 210, off: 5, weeks: 2, says: "too few to tell a trend"},
		"one":            {by: []float64{300}, expected: 300, off: 1, weeks: 1, says: "how weeks differ is not known"},
	} {
		l := count(x.by, next(len(x.by)+x.further))
		if math.Abs(l.Expected-x.expected) > x.off || l.Weeks != x.weeks || !strings.Contains(l.Says, x.says) || (l.Growth > 0) != (x.growth > 0) ||
			math.Abs(l.Growth-x.growth) > 0.02 || l.Low > l.Expected || l.High < l.Expected || x.weeks == 2 && l.High > 2.01*l.Expected {
			t.Errorf("%s: %+v", name, l)
		}
	}
}

// What bears no forecast is told; what is whole is found whatever day records begin and end.
func TestTooLittle(t *testing.T) {
	whole := lived(t, 3, []float64{1, 1})
	for name, x := range map[string]struct {
		csv  string
		o    forecast.Options
		says string
	}{
		"days alone":         {csv: head(whole, start.AddDate(0, 0, 2)), says: "no whole week"},
		"the week itself":    {csv: whole, o: forecast.Options{Monday: start}, says: "no whole week"},
		"a handful":          {csv: csvHead + "a,2026-08-31T08:00:00Z,,,k,60\nb,2026-09-06T08:00:00Z,,,k,60\n", says: "50 are needed"},
		"begins on Thursday": {csv: csvHead + strings.Join(after(whole, start.AddDate(0, 0, 3)), ""), o: forecast.Options{Monday: start.AddDate(0, 0, 7)}, says: "no whole week"},
	} {
		if _, err := ask(t, x.csv, x.o); !errors.Is(err, forecast.ErrTooLittle) || !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	a := try(t, whole, forecast.Options{})
	if len(a.Weeks) != 2 || !a.Monday.Equal(start.AddDate(0, 0, 14)) || a.Came != nil {
		t.Errorf("%+v", a)
	}
	a = try(t, whole, forecast.Options{Monday: start.AddDate(0, 0, 7), Until: start.AddDate(0, 0, 11).Add(15 * time.Hour)})
	if a.Came == nil || !a.Came.Until.Equal(start.AddDate(0, 0, 11)) || len(a.Came.ByTime) != 4*24 {
		t.Errorf("on Friday, until Thursday: %+v", a.Came)
	}
	a = try(t, head(whole, start.AddDate(0, 0, 9)), forecast.Options{})
	if len(a.Weeks) != 1 || !a.Monday.Equal(start.AddDate(0, 0, 7)) || a.Came == nil || a.Came.Until.After(start.AddDate(0, 0, 9)) {
		t.Errorf("%v %v %+v", a.Weeks, a.Monday, a.Came)
	}
}

// head are the rows of a log that were submitted before a moment, after those from it on.
func head(csv string, until time.Time) string {
	var b strings.Builder
	for line := range strings.Lines(csv) {
		if f := strings.Split(line, ","); f[1] == "submitted" || f[1] < until.Format(time.RFC3339) {
			b.WriteString(line)
		}
	}
	return b.String()
}

func after(csv string, from time.Time) (out []string) {
	for line := range strings.Lines(csv) {
		if f := strings.Split(line, ","); f[1] != "submitted" && f[1] >= from.Format(time.RFC3339) {
			out = append(out, line)
		}
	}
	return out
}
