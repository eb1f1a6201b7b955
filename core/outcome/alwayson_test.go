package outcome_test

import (
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// One node and one agent at most, all of the hour: 3.6 and 0.36 by the hour, and the fee of 1. On
// 60 of the 168 hours of a week it is 60/168 of that, rounded down. The jobs come on a Monday at
// midnight, which some call a working hour.
func TestStayingOnByHand(t *testing.T) {
	for _, c := range []struct {
		hours   string
		inHours units.Money
		outside int
	}{
		{"", 1_285_714_285 + 128_571_428 + 1_000_000_000, 2},
		{"hours: Sun-Thu 20:00-04:00", 857_142_857 + 85_714_285 + 1_000_000_000, 0}, // 40 of them
	} {
		text := strings.Replace(billed, "  classes:", "  "+c.hours+"\n  classes:", 1)
		w, err := worlds.Parse(text+worlds.Template("t", "x", "2", "8Gi", "i:1"), "id,submitted,class\na,0,k\nb,0,k\n")
		if err != nil {
			t.Fatal(err)
		}
		o, _ := simulate(t, w, 1)
		got := o.Samples[0].Cost.Always
		if got.AllNano != money(4_960_000_000) || got.HoursNano != money(c.inHours) || got.Nodes != 1 || got.Outside != c.outside {
			t.Errorf("%s: %+v", c.hours, got)
		}
		if a := o.Cost.Always; a.Outside != float64(c.outside)/2 || a.All.Mean < 4.96*729 || a.All.Mean > 4.96*731 {
			t.Errorf("%s: %+v", c.hours, a)
		}
	}
}

// No bill is above that of its most nodes always on, but for least charges; and these are what
// counting at every moment at which a node is asked for says.
func TestStayingOnIsNoCheaper(t *testing.T) {
	for seed := range uint64(40) {
		w, err := worlds.Wild(seed)
		if err != nil {
			continue
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		got := outcome.StayingOn(trace)
		paid := outcome.Paid(trace)
		most := make([]int, len(w.Pools))
		for _, n := range trace.Nodes {
			paid = paid.Minus(units.SumOf(w.Pools[n.Pool].Price.For(n.Billed + n.Extra))).Plus(units.SumOf(w.Pools[n.Pool].Price.For(n.Billed)))
			at := max(n.Asked, w.Plan.Warmup)
			there := 0
			for _, x := range trace.Nodes {
				if x.Pool == n.Pool && x.Asked <= at && x.Gone > at && at < w.Plan.Span {
					there++
				}
			}
			most[n.Pool] = max(most[n.Pool], there)
		}
		sum := 0
		for _, n := range most {
			sum += n
		}
		// Each node's bill is rounded by itself.
		if over := paid.Minus(got.AllNano); sum != got.Nodes || over.Float() > float64(len(trace.Nodes)) {
			t.Errorf("world %d: %d nodes, counted %d; %v less than the bill", seed, got.Nodes, sum, over)
		}
		if got.HoursNano.Compare(got.AllNano) > 0 {
			t.Errorf("world %d: %v in hours, %v always", seed, got.HoursNano, got.AllNano)
		}
	}
}

// Jobs outside working hours are told by the zone's own clock, over its changes.
func TestJobsOutsideWorkingHours(t *testing.T) {
	for _, zone := range []string{"UTC", "Europe/Oslo", "America/Halifax", "Asia/Kathmandu", "Australia/Lord_Howe"} {
		text := strings.NewReplacer("span: 1h", "span: 400d", "start: 2026-01-05T00:00:00Z", "start: 2026-01-05T00:07:31Z\n  zone: "+zone).Replace(billed)
		rows := "id,submitted,class\n"
		z, err := units.ParseZone(zone)
		if err != nil {
			t.Fatal(err)
		}
		start := time.Date(2026, 1, 5, 0, 7, 31, 0, time.UTC)
		want := 0
		for i := range 700 {
			at := time.Duration(i) * 8111 * time.Second
			rows += "j" + string(rune('a'+i%26)) + at.String() + "," + start.Add(at).Format(time.RFC3339) + ",k\n"
			l := start.Add(at).In(z.Location())
			if d := l.Weekday(); d == time.Saturday || d == time.Sunday || l.Hour() < 7 || l.Hour() >= 19 {
				want++
			}
		}
		w, err := worlds.Parse(text+worlds.Template("t", "x", "2", "8Gi", "i:1"), rows)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := outcome.StayingOn(trace).Outside; got != want {
			t.Errorf("%s: %d come outside, want %d", zone, got, want)
		}
	}
}
