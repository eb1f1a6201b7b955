package live_test

import (
	"testing"
	"time"

	"tachyphor/core/live"
)

// How many jobs waited and ran is told of every moment since the first came.
func TestQueueOf(t *testing.T) {
	at := func(minute int) time.Time { return monday.Add(time.Duration(minute) * time.Minute) }
	job := func(state live.State, asked, started, ended int) live.Job {
		j := live.Job{Run: &live.Run{}, Asked: at(asked), State: state}
		if started >= 0 {
			j.Started = at(started)
		}
		if ended >= 0 {
			j.Ended = at(ended)
		}
		return j
	}
	q := live.QueueOf([]live.Job{
		job(live.Ended, 12, 22, 42), job(live.Running, 20, 30, -1), job(live.Waiting, 31, -1, -1), job(live.Silent, 15, -1, -1), job(live.Ended, 16, -1, 18),
	}, at(60), time.Hour, 6)
	if q.Waiting != 1 || q.Running != 1 || len(q.Before) != 5 || !q.Before[0].At.Equal(at(20)) {
		t.Fatalf("%+v", q)
	}
	for n, want := range [][2]int{{2, 0}, {0, 2}, {1, 2}, {1, 1}, {1, 1}} {
		if m := q.Before[n]; m.Waiting != want[0] || m.Running != want[1] {
			t.Errorf("at minute %d: %d wait and %d run, not %v", 20+10*n, m.Waiting, m.Running, want)
		}
	}
	if q := live.QueueOf(nil, at(60), time.Hour, 6); q.Waiting != 0 || len(q.Before) != 0 {
		t.Errorf("%+v", q)
	}
}
