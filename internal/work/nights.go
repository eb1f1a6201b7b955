package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/drift"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"

	cloudevents "github.com/cloudevents/sdk-go/v2/event"
)

// How days of the live records are held against what is simulated.
const (
	nightEvery = time.Minute   // how often it is looked whether one is due
	settled    = 3 * time.Hour // after a day, until its jobs have begun
	nightsLong = 14            // days that are simulated together at most, where several are due
	MostBack   = 400           // days back that following a scenario may begin
)

// nights looks at the days that are due of followed scenarios, until the queue is closed.
func (q *Queue) nights() {
	tick := time.NewTicker(nightEvery)
	defer tick.Stop()
	for {
		if q.full() == nil {
			q.allNights(q.ctx)
		}
		select {
		case <-q.ctx.Done():
			return
		case <-q.dusk:
		case <-tick.C:
		}
	}
}

// Dusk has it looked at once whether days are due.
func (q *Queue) Dusk() {
	select {
	case q.dusk <- struct{}{}:
	default:
	}
}

func (q *Queue) allNights(ctx context.Context) {
	list, err := q.store.AllFollowed(ctx)
	if err != nil {
		if ctx.Err() == nil {
			q.log.Warn("cannot read which scenarios are followed; it is tried again", "error", err)
		}
		return
	}
	for _, f := range list {
		for more := true; more && ctx.Err() == nil; {
			more, err = q.someNights(ctx, &f, time.Now())
			why := ""
			if err != nil {
				if ctx.Err() != nil || errors.Is(err, store.ErrSilent) {
					return
				}
				more, why = false, err.Error()
			}
			if why == f.Trouble {
				continue
			}
			if f.Trouble = why; why != "" {
				q.log.Warn("cannot hold days against what is simulated", "scenario", f.Scenario, "error", err)
			}
			if err := q.store.Troubled(ctx, f.Scenario, why); err != nil && ctx.Err() == nil {
				q.log.Warn("cannot note that", "scenario", f.Scenario, "error", err)
			}
		}
	}
}

// due are the days of a followed scenario that are over, and were not looked at, oldest first: the
// first, and that after the last; first is zero when none is.
func due(f store.Followed, last, now time.Time, zone *time.Location) (first, after time.Time) {
	day := func(t time.Time) time.Time {
		y, m, d := t.In(zone).Date()
		return time.Date(y, m, d, 0, 0, 0, 0, zone)
	}
	first = day(now).AddDate(0, 0, -1)
	if from, err := time.ParseInLocation(time.DateOnly, f.From, zone); err == nil {
		first = from
	}
	if !last.IsZero() {
		if next := day(last.Add(12*time.Hour)).AddDate(0, 0, 1); next.After(first) {
			first = next
		}
	}
	if oldest := day(now).AddDate(0, 0, -MostBack); first.Before(oldest) {
		first = oldest
	}
	after = day(now.Add(-settled))
	if most := first.AddDate(0, 0, nightsLong); after.After(most) {
		after = most
	}
	if !first.Before(after) {
		return time.Time{}, time.Time{}
	}
	return first, after
}

// someNights looks at days that are due of a scenario, and has f stand as it does then; more tells that
// others may be due.
func (q *Queue) someNights(ctx context.Context, f *store.Followed, now time.Time) (more bool, err error) {
	in, faults, err := q.Library.Pin(ctx, f.Scenario)
	if err == nil {
		err = faults.Err()
	}
	if errors.Is(err, store.ErrNotFound) {
		return false, fmt.Errorf("the scenario %s is not there any more", f.Scenario)
	}
	if err != nil {
		return false, err
	}
	zone, err := q.zoneOf(ctx, in)
	if err != nil {
		return false, err
	}
	first, after := due(*f, StandingOf(f).Last, now, zone)
	if first.IsZero() {
		return false, q.mondays(ctx, *f, in, now.In(zone))
	}
	said, err := q.store.Nights(ctx, f.Scenario)
	if err != nil {
		return false, err
	}
	days, err := q.held(ctx, in, f.Project, first, after, now)
	if err != nil {
		return false, err
	}
	if more, err = q.keepNights(ctx, f, said, days); err != nil || !more {
		return false, err
	}
	q.log.Info("days held against what is simulated", "scenario", f.Scenario, "from", first.Format(time.DateOnly), "days", len(days))
	return true, nil
}

// held holds the days from first to before after beside what is simulated of their jobs. Simulating
// begins a day before, so that the first is met as it was; jobs that came after the last are among them,
// for they wait beside the last ones.
func (q *Queue) held(ctx context.Context, in wire.Inputs, project string, first, after, now time.Time) ([]drift.HeldDay, error) {
	design, err := digestOf(in)
	if err != nil {
		return nil, err
	}
	var days []drift.HeldDay
	for d := first; d.Before(after); d = d.AddDate(0, 0, 1) {
		days = append(days, drift.HeldDay{Day: d, Design: design, Looked: []drift.Looked{}})
	}
	until := after.Add(settled)
	if until.After(now) {
		until = now
	}
	log, err := q.Library.LogOfLive(ctx, library.Stretch{From: first.AddDate(0, 0, -1), Until: until, Project: project}, now)
	if errors.Is(err, library.ErrNoJobs) {
		return days, nil
	}
	if err != nil {
		return nil, err
	}
	in.Backtest = &wire.Backtested{Designs: []wire.DesignInForce{{Documents: in.Documents}}}
	question, err := q.asked(ctx, in, log, backtest.Options{From: first, Until: after, Now: now, Least: 1})
	if errors.Is(err, backtest.ErrTooFew) {
		return days, nil
	}
	if err != nil {
		return nil, err
	}
	workers, free, err := q.room.take(question.Need, ctx.Done())
	if err != nil {
		return nil, err
	}
	defer free()
	held, err := question.Days(workers, func(float64) bool { return ctx.Err() == nil })
	if err != nil {
		return nil, err
	}
	for i := range days {
		for _, h := range held {
			if h.Day.Equal(days[i].Day) {
				days[i].Looked = h.Looked
			}
		}
	}
	return days, nil
}

// digestOf tells what is simulated apart from all else.
func digestOf(in wire.Inputs) (string, error) {
	b, err := json.Marshal(in.Documents)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:8]), nil
}

// keepNights stores what was said of days, with events of what was found, or is over, on these days.
func (q *Queue) keepNights(ctx context.Context, f *store.Followed, said []store.Night, days []drift.HeldDay) (kept bool, err error) {
	all, err := DaysOf(said)
	if err != nil {
		return false, err
	}
	rows := make([]store.Night, len(days))
	for i := range days {
		b, err := json.Marshal(days[i])
		if err != nil {
			return false, err
		}
		rows[i] = store.Night{Scenario: f.Scenario, Day: days[i].Day.UTC(), Said: b}
	}
	var notices []store.Notice
	var fault error
	stands := drift.Follow(append(all, days...), func(day time.Time, s drift.Course) {
		if len(days) == 0 || day.Before(days[0].Day) {
			return
		}
		what := s.Drifted
		if what == nil {
			what = s.Over
		}
		if what != nil {
			q.log.Warn("drift", "scenario", f.Scenario, "found", s.Drifted != nil, "says", what.Says())
		}
		if what == nil || f.Tell == "" {
			return
		}
		n, err := noticeOf(*f, day, what, s.Drifted == nil)
		if err != nil {
			fault = err
			return
		}
		notices = append(notices, n)
	})
	if fault != nil {
		return false, fault
	}
	if f.Stands, err = json.Marshal(stands); err != nil {
		return false, err
	}
	return q.store.KeepNights(ctx, *f, rows, notices)
}

// Types of events that are told.
const (
	driftFound = "tachyphor.drift.found"
	driftOver  = "tachyphor.drift.over"
)

// noticeOf is the event that something drifted, or is over. It has the same id whoever makes it.
func noticeOf(f store.Followed, day time.Time, what *drift.Drifted, over bool) (store.Notice, error) {
	kind := driftFound
	if over {
		kind = driftOver
	}
	sum := sha256.Sum256([]byte(f.Scenario + "\x00" + kind + "\x00" + day.UTC().Format(time.RFC3339)))
	id := hex.EncodeToString(sum[:16])
	e := cloudevents.New()
	e.SetID(id)
	e.SetType(kind)
	e.SetSource("/tachyphor/scenarios/" + f.Scenario)
	e.SetSubject(f.Scenario)
	e.SetTime(time.Now().UTC())
	if err := e.SetData("application/json", wire.Told{Scenario: f.Scenario, Says: what.Says(), Drifted: *what}); err != nil {
		return store.Notice{}, err
	}
	b, err := json.Marshal(e)
	return store.Notice{ID: id, Address: f.Tell, Event: b}, err
}

// StandingOf is how a followed scenario stands.
func StandingOf(f *store.Followed) (out drift.Course) {
	_ = json.Unmarshal(f.Stands, &out) // ours; as of no days where it cannot be read
	return out
}

// DaysOf reads what was said of days.
func DaysOf(said []store.Night) ([]drift.HeldDay, error) {
	out := make([]drift.HeldDay, len(said))
	for i := range said {
		if err := json.Unmarshal(said[i].Said, &out[i]); err != nil {
			return nil, fmt.Errorf("what is stored of %s is not readable: %w", said[i].Day.Format(time.DateOnly), err)
		}
	}
	return out, nil
}
