package demo

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"strconv"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sizing"
	"tachyphor/core/units"
)

// Usage is what the demo world's agents of a template used in the three weeks up to
// week 38: samples and the job log that goes with them, both CSV.
type Usage struct {
	Template      string
	Samples, Jobs []byte
}

// ranOn says on which template the jobs of a class ran, what limit of memory it has,
// and how its work goes.
var ranOn = []struct {
	class, template string
	limit           units.Bytes
	parallel        float64 // share of the work on all cores
	interval        float64 // seconds between samples
	disk            units.Bytes
}{
	{"hull-firmware", "compile-wide", 12 << 30, 0.85, 15, 6 << 30},
	{"tide-charts", "compile-wide", 12 << 30, 0.7, 15, 4 << 30},
	{"sonar-suite", "compile-wide", 12 << 30, 0.9, 30, 9 << 30},
	{"shore-desk", "small-steady", 6 << 30, 0.6, 5, 900 << 20},
	{"relay-gateway", "small-steady", 6 << 30, 0.7, 5, 600 << 20},
	{"probe-images", "image-maker", 8 << 30, 0.75, 15, 7 << 30},
}

// Limits on the runs that are drawn.
const (
	weeks      = 3
	runsWeekly = 280 // of a class
)

// DrawUsage draws what agents used, the same each time.
func DrawUsage() ([]Usage, error) {
	text, err := World.ReadFile("workload.yaml")
	if err != nil {
		return nil, err
	}
	docs, faults := document.Parse("workload.yaml", text)
	if len(faults) > 0 {
		return nil, faults
	}
	spec := &docs[0].Value.(*document.Workload).Spec
	log, err := World.ReadFile(spec.Jobs.File)
	if err != nil {
		return nil, err
	}
	recorded, err := demand.Parse(log, nil)
	if err != nil {
		return nil, err
	}
	jobs, bad := recorded.Bind(spec)
	if len(bad) > 0 {
		return nil, fmt.Errorf("%s: %s", spec.Jobs.File, bad[0])
	}
	var out []Usage
	for i := 0; i < len(ranOn); {
		d := drawing{root: chance.Root(3809, 0)}
		d.rows = csv.NewWriter(&d.log)
		_ = d.rows.Write([]string{"id", "submitted", "class", "pod", "started", "ended"})
		u := Usage{Template: ranOn[i].template}
		for ; i < len(ranOn) && ranOn[i].template == u.Template; i++ {
			d.class(i, spec, jobs)
		}
		var samples bytes.Buffer
		if err := d.samples.WriteCSV(&samples); err != nil {
			return nil, err
		}
		d.rows.Flush()
		u.Samples, u.Jobs = samples.Bytes(), d.log.Bytes()
		out = append(out, u)
	}
	return out, nil
}

type drawing struct {
	root    chance.Key
	samples sizing.Log
	log     bytes.Buffer
	rows    *csv.Writer
}

// class draws the runs of one class.
func (d *drawing) class(i int, spec *document.WorkloadSpec, jobs *demand.Jobs) {
	var own []int
	for j, job := range jobs.List {
		if spec.Classes[job.Class].Name == ranOn[i].class {
			own = append(own, j)
		}
	}
	each := max(float64(len(own))/runsWeekly, 1)
	for week := range weeks {
		for n := 0; int(float64(n)*each) < len(own); n++ {
			at := own[int(float64(n)*each)]
			began := spec.Start.Add(time.Duration(jobs.List[at].Submitted) - time.Duration(weeks-1-week)*7*24*time.Hour + 40*time.Second)
			d.run(i, week, n, &jobs.List[at], jobs.Memory[at], jobs.ID(at), began)
		}
	}
}

// run draws one run: a while on one core, the wide part, and a while on one again, in
// which memory peaks; now and then something is wrong with its samples.
func (d *drawing) run(i, week, n int, job *demand.Job, memory units.Bytes, id string, began time.Time) {
	c := ranOn[i]
	entity := uint64(i)<<40 | uint64(week)<<32 | uint64(n)
	draws := uint64(0)
	uniform := func() float64 {
		draws++
		return d.root.For(chance.Work, entity, draws).Uniform()
	}
	again := 0.94 + 0.12*uniform() // of the same job, a week earlier or later
	work := job.Work.Seconds() * (0.9 + 0.2*uniform())
	cores := float64(job.Cores)
	peak := float64(memory) * again * (1 + 0.012*float64(week-weeks+1))
	disk := float64(c.disk) * (0.7 + 0.5*uniform())
	pod := fmt.Sprintf("%s-%s%05s", c.template, strconv.FormatUint(uint64(week), 10),
		strconv.FormatUint(uint64(d.root.For(chance.Branch, entity, 0)), 36)[:5])
	s := sizing.Series{Pod: pod, Container: "agent", Limit: c.limit}
	start := float64(began.UnixNano()) / 1e9
	used, end := 0.0, work
	add := func(t, memory float64) {
		s.Samples = append(s.Samples, sizing.Sample{
			At: round(start+t, 1000), CPU: round(used, 1000), Memory: math.Floor(memory),
			Throttled: math.NaN(), Disk: math.Floor(disk * math.Sqrt(min(t/work, 1))),
		})
	}
	add(0, peak*0.08)
	for t := 0.0; t < end; {
		step := min(c.interval, end-t)
		at := (t + step/2) / work
		use, share := 1.0, 0.0
		before := (1 - c.parallel) * 0.4
		switch { // Amdahl's work: a part on one core, the rest on all
		case at < before:
			use, share = 0.85, 0.12+0.2*at/before
		case at < before+c.parallel:
			use, share = cores*(0.93+0.14*uniform()), 0.35+0.45*(at-before)/c.parallel
		default:
			use, share = 1, 1
		}
		if cores < 1 {
			use = min(use, cores)
		}
		if share*peak > float64(c.limit) { // killed between two samples
			s.Killed = true
			break
		}
		t, used = t+step, used+use*step
		add(t, share*peak)
	}
	d.spoil(&s, uniform)
	d.samples.Series = append(d.samples.Series, s)
	last := s.Samples[len(s.Samples)-1].At
	stamp := func(sec float64) string {
		return time.UnixMilli(int64(sec * 1000)).UTC().Format("2006-01-02T15:04:05.000Z")
	}
	_ = d.rows.Write([]string{fmt.Sprintf("w%d-%s", 36+week, id), stamp(start - 40), c.class, pod, stamp(start), stamp(last)})
}

// spoil puts in what real samples have: a scrape that failed for a while, one that was
// stored twice, a clock that was set back, a count that began anew.
func (d *drawing) spoil(s *sizing.Series, uniform func() float64) {
	n := len(s.Samples)
	if n < 12 {
		return
	}
	at := 2 + int(uniform()*float64(n-8))
	switch u := uniform(); {
	case u < 0.02:
		s.Samples = append(s.Samples[:at], s.Samples[at+4:]...)
	case u < 0.03:
		s.Samples = append(s.Samples[:at+1], s.Samples[at:]...)
	case u < 0.034:
		s.Samples[at].At = s.Samples[at-1].At - 2
	case u < 0.042:
		base := s.Samples[at-1].CPU
		for i := at; i < n; i++ {
			s.Samples[i].CPU = round(s.Samples[i].CPU-base, 1000)
		}
	}
}

func round(x, per float64) float64 { return math.Round(x*per) / per }
