package backtest_test

import (
	"testing"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/core/drift"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// Weeks of a world on its own records do not drift; once nodes boot slower than the cluster says, that
// is found within days.
func TestDays(t *testing.T) {
	text, jobs, err := worlds.DemoText("weekday-lean")
	if err != nil {
		t.Fatal(err)
	}
	in, err := worlds.Read(text, jobs)
	if err != nil {
		t.Fatal(err)
	}
	slow := changed(t, in, "/spec/pools/1/boot", document.Plain(170*units.Second))
	var all []drift.HeldDay
	beyond, looked := 0, 0
	const weeks, turned = 4, 2
	for week := range weeks {
		truth := in
		if week >= turned {
			truth = slow
		}
		q, err := backtest.Ask([]backtest.Design{{In: in}}, lived(t, truth, uint64(week)+5), backtest.Options{Now: now})
		if err != nil {
			t.Fatal(err)
		}
		days, err := q.Days(2, nil)
		if err != nil {
			t.Fatal(err)
		}
		if len(days) != 7 {
			t.Fatalf("%d days", len(days))
		}
		for _, d := range days {
			if d.Day.Hour() != 0 || d.Day.Location().String() != "Europe/Oslo" {
				t.Errorf("a day begins at %s", d.Day)
			}
			for _, x := range d.Looked {
				if x.Low > x.Mid || x.Mid > x.High || x.Jobs < 10 || x.P == 90 && x.Jobs < 100 || x.Above+x.Below < x.Runs {
					t.Errorf("%+v", x)
				}
				if looked++; week < turned && (x.Above == 0 || x.Below == 0) {
					beyond++
				}
			}
			d.Day = d.Day.AddDate(0, 0, 7*week)
			all = append(all, d)
		}
	}
	t.Logf("%d looks, %d of right weeks beyond all runs", looked, beyond)
	if beyond*8 > looked {
		t.Error("what was predicted is too narrow")
	}
	if s := drift.Follow(all[:7*turned], nil); s.Drifted != nil {
		t.Errorf("its own records: %+v", s.Drifted)
	}
	s := drift.Follow(all, nil)
	if s.Drifted == nil || !s.Drifted.Longer || s.Drifted.Found.Sub(all[7*turned].Day) > 7*24*time.Hour {
		t.Fatalf("slower boots are not found: %+v", s)
	}
	t.Logf("%+v", *s.Drifted)
}
