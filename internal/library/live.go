package library

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"tachyphor/core/learn"
	"tachyphor/core/live"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/internal/store"
)

// MostCut is how many runs are looked at for a log at most.
const MostCut = 500_000

// before is how long before a time the pipelines of its jobs may have come.
const before = 24 * time.Hour

// A Stretch is a part of the live records.
type Stretch struct {
	From, Until time.Time // when jobs asked; zero: no bound
	Project     string    // only of this; empty: of all
}

// ErrTooLong says that a stretch has more runs than can be looked at together.
var ErrTooLong = fmt.Errorf("more than %d runs; name a shorter time with from and until", MostCut)

// Live are the jobs that asked for agents in a stretch, as of now.
func (l *Library) Live(ctx context.Context, s Stretch, now time.Time) ([]live.Job, error) {
	from := s.From
	if !from.IsZero() {
		from = from.Add(-before)
	}
	var runs []*live.Run
	err := l.store.EachLive(ctx, from, s.Until, func(r *live.Run) bool {
		runs = append(runs, r)
		return len(runs) <= MostCut
	})
	if err != nil {
		return nil, Troubled(err)
	}
	if len(runs) > MostCut {
		return nil, ErrTooLong
	}
	return slices.DeleteFunc(live.Jobs(runs, now, live.SilentAfter), func(j live.Job) bool { return !s.has(&j) }), nil
}

// has reports whether a job is in a stretch.
func (s *Stretch) has(j *live.Job) bool {
	return !j.Asked.Before(s.From) && (s.Until.IsZero() || j.Asked.Before(s.Until)) && (s.Project == "" || j.Is(live.Project) == s.Project)
}

// newestLooked is how many runs are looked at for the newest jobs: pipelines and their parts.
const newestLooked = 4000

// NewestLive are the newest jobs, the newest first.
func (l *Library) NewestLive(ctx context.Context, s Stretch, state live.State, most int, now time.Time) ([]live.Job, error) {
	var runs []*live.Run
	err := l.store.NewestLive(ctx, func(r *live.Run) bool {
		runs = append(runs, r)
		return len(runs) < newestLooked
	})
	if err != nil {
		return nil, Troubled(err)
	}
	jobs := slices.DeleteFunc(live.Jobs(runs, now, live.SilentAfter), func(j live.Job) bool {
		return !s.has(&j) || state != "" && j.State != state
	})
	slices.Reverse(jobs)
	return jobs[:min(most, len(jobs))], nil
}

// The queue is told of so much time, in so many steps.
const (
	queueTold  = 6 * time.Hour
	queueSteps = 72
)

// LiveNow counts the jobs that wait and that run, among the newest, and tells how many waited over the
// last hours; nothing of times before the oldest of these.
func (l *Library) LiveNow(ctx context.Context, now time.Time) (out live.Queue, err error) {
	jobs, err := l.NewestLive(ctx, Stretch{}, "", newestLooked, now)
	if err != nil {
		return out, err
	}
	return live.QueueOf(jobs, now, queueTold, queueSteps), nil
}

// ErrNoJobs says that a stretch has none.
var ErrNoJobs = errors.New("no jobs were reported in that time; `tachyphor live` says from when on there are any")

// KeepLive keeps the jobs of a stretch as a recording, as they are known now, and returns its digest.
func (l *Library) KeepLive(ctx context.Context, s Stretch, now time.Time) (digest string, err error) {
	log, err := l.LogOfLive(ctx, s, now)
	if err != nil {
		return "", err
	}
	digest, _, err = l.Keep(store.Silently(ctx), bytes.NewReader(log), nil, false)
	return digest, err
}

// LogOfLive are the jobs of a stretch as a log in our own columns, as they are known now.
func (l *Library) LogOfLive(ctx context.Context, s Stretch, now time.Time) ([]byte, error) {
	got, err := l.cut(ctx, s, "live", units.Zone{}, now, true)
	if err != nil {
		return nil, err
	}
	return got.Log, nil
}

// CutLive makes a workload of a stretch, as of any job log.
func (l *Library) CutLive(ctx context.Context, s Stretch, name string, zone units.Zone, now time.Time) (*learn.LearnedJobs, error) {
	return l.cut(ctx, s, name, zone, now, false)
}

func (l *Library) cut(ctx context.Context, s Stretch, name string, zone units.Zone, now time.Time, whole bool) (*learn.LearnedJobs, error) {
	jobs, err := l.Live(ctx, s, now)
	if err != nil {
		return nil, err
	}
	if len(jobs) == 0 {
		return nil, ErrNoJobs
	}
	log, columns, err := logOf(jobs)
	if err != nil {
		return nil, err
	}
	o := learn.JobOptions{Name: name, Zone: zone, Columns: columns, Header: "yes", Delimiter: ",", SkipBad: true, Whole: whole}
	return learn.Jobs([]learn.File{{Name: "the live records", Data: log}}, o, nil)
}

// logOf writes jobs as a log, and says what its columns are: those that are empty are none.
func logOf(jobs []live.Job) (log []byte, columns map[string]string, err error) {
	rows := make([]live.Row, len(jobs))
	classes := false
	for i := range jobs {
		rows[i] = jobs[i].Row()
		classes = classes || rows[i].Class != ""
		if jobs[i].Basis == live.ByStart {
			rows[i].Submitted, rows[i].Pod = nil, "" // it came when it began, as far as a log tells, and how long it waited is not known
		}
	}
	for i := range rows {
		if classes && rows[i].Class == "" {
			rows[i].Class = rows[i].Name
		}
	}
	var b bytes.Buffer
	sheet, err := table.NewSheet[live.Row](&b, table.CSV)
	if err == nil {
		err = sheet.Write(rows)
	}
	if err == nil {
		err = sheet.Close()
	}
	columns = map[string]string{"work": "-", "wait": "-"}
	of := reflect.TypeFor[live.Row]()
	for c := range of.NumField() {
		name, _, _ := strings.Cut(of.Field(c).Tag.Get("parquet"), ",")
		if name == "basis" {
			continue
		}
		columns[name] = "-"
		for i := range rows {
			if !reflect.ValueOf(&rows[i]).Elem().Field(c).IsZero() {
				columns[name] = name
				break
			}
		}
	}
	return b.Bytes(), columns, err
}
