package work

import (
	"testing"
	"time"

	"tachyphor/internal/store"
)

// Days are due three hours after their end, in order, a fortnight at a time, across changes of clocks;
// none is due twice, nor from too far back.
func TestDaysThatAreDue(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	at := func(s string) time.Time {
		x, err := time.ParseInLocation("2006-01-02 15:04", s, oslo)
		if err != nil {
			t.Fatal(err)
		}
		return x
	}
	for name, x := range map[string]struct{ from, last, now, first, after string }{
		"nothing yet":             {"2026-10-20", "", "2026-10-21 02:59", "", ""},
		"the first day":           {"2026-10-20", "", "2026-10-21 03:00", "2026-10-20 00:00", "2026-10-21 00:00"},
		"done":                    {"2026-10-20", "2026-10-20 00:00", "2026-10-21 23:00", "", ""},
		"the next":                {"2026-10-20", "2026-10-20 00:00", "2026-10-22 03:00", "2026-10-21 00:00", "2026-10-22 00:00"},
		"after a long day":        {"2026-10-20", "2026-10-25 00:00", "2026-10-27 03:01", "2026-10-26 00:00", "2026-10-27 00:00"},
		"after a short day":       {"2026-03-20", "2026-03-29 00:00", "2026-03-31 03:01", "2026-03-30 00:00", "2026-03-31 00:00"},
		"a fortnight at a time":   {"2026-09-14", "", "2026-11-29 12:00", "2026-09-14 00:00", "2026-09-28 00:00"},
		"from later on":           {"2026-12-24", "", "2026-11-29 12:00", "", ""},
		"no further than may be":  {"2020-01-01", "", "2026-11-29 12:00", "2025-10-25 00:00", "2025-11-08 00:00"},
		"no day was named":        {"", "", "2026-11-29 12:00", "2026-11-28 00:00", "2026-11-29 00:00"},
		"the last is in the past": {"2026-11-20", "2026-11-01 00:00", "2026-11-21 12:00", "2026-11-20 00:00", "2026-11-21 00:00"},
	} {
		last := time.Time{}
		if x.last != "" {
			last = at(x.last).UTC()
		}
		first, after := due(store.Followed{From: x.from}, last, at(x.now), oslo)
		wantFirst, wantAfter := time.Time{}, time.Time{}
		if x.first != "" {
			wantFirst, wantAfter = at(x.first), at(x.after)
		}
		if !first.Equal(wantFirst) || !after.Equal(wantAfter) {
			t.Errorf("%s: from %s until %s, not from %s until %s", name, first, after, x.first, x.after)
		}
	}
}

// The week that is looked ahead to is this one until Wednesday, then the next.
func TestWeekNow(t *testing.T) {
	for day, monday := range map[string]string{
		"2026-11-30": "2026-11-30", "2026-12-02": "2026-11-30", "2026-12-03": "2026-12-07", "2026-12-06": "2026-12-07",
	} {
		now, err := time.Parse(time.DateOnly, day)
		if err != nil {
			t.Fatal(err)
		}
		if got := weekNow(now.Add(12*time.Hour), time.UTC).Format(time.DateOnly); got != monday {
			t.Errorf("on %s: the week of %s", day, got)
		}
	}
}
