// Package logs makes job logs of one truth in many shapes, as they come out of all kinds of
// systems, for what reads them to be tried on.
package logs

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
)

// A Job is one job as it was.
type Job struct {
	Number    int
	Class     string
	Branch    string
	Wants     []string
	Submitted time.Time
	Started   time.Time
	Ended     time.Time
	Result    string // done, failed, cut, never
	Memory    float64
}

// Work is how long it worked.
func (j *Job) Work() time.Duration { return j.Ended.Sub(j.Started) }

// Name is a name as build systems make them: with the branch and a number.
func (j *Job) Name() string { return fmt.Sprintf("%s/%s #%d", j.Class, j.Branch, j.Number) }

// A Class is jobs alike.
type Class struct {
	Name   string
	Wants  []string
	Median float64 // of work, in seconds
	Sigma  float64 // of its logarithm
	Memory float64 // bytes
	Hourly float64 // jobs an hour by day, on working days
}

// Classes are those of the truth.
var Classes = []Class{
	{"hull-firmware", []string{"arm-cross", "cxx", "linux"}, 540, 0.3, 9e9, 2},
	{"tide-charts", []string{"linux", "rust"}, 300, 0.4, 6e9, 3},
	{"shore-desk", []string{"linux", "web"}, 100, 0.5, 2e9, 5},
}

// Make draws jobs of so many days from a moment on: in whole seconds, by day and night.
func Make(seed uint64, begin time.Time, days int) []Job {
	r := rand.New(rand.NewPCG(seed, 1))
	var out []Job
	for h := range 24 * days {
		hour := begin.Add(time.Duration(h) * time.Hour)
		for _, c := range Classes {
			rate := c.Hourly
			if w := hour.Weekday(); w == time.Saturday || w == time.Sunday || hour.Hour() < 7 || hour.Hour() >= 19 {
				rate /= 10
			}
			for range poisson(r, rate) {
				out = append(out, draw(r, c, hour.Add(time.Duration(r.IntN(3600))*time.Second)))
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Job) int { return a.Submitted.Compare(b.Submitted) })
	for i := range out {
		out[i].Number = 1001 + i
	}
	return out
}

func draw(r *rand.Rand, c Class, at time.Time) Job {
	j := Job{Class: c.Name, Wants: c.Wants, Submitted: at, Result: "done"}
	j.Memory = math.Round(c.Memory*math.Exp(0.1*r.NormFloat64())/1e6) * 1e6
	j.Started = at.Add(time.Duration(1+r.ExpFloat64()*30) * time.Second)
	work := math.Round(c.Median * math.Exp(c.Sigma*r.NormFloat64()))
	j.Branch = "main"
	if r.IntN(3) == 0 { // it found no workspace
		work += 60
	}
	if r.IntN(3) > 0 {
		j.Branch = fmt.Sprintf("feature/%s-%d", []string{"echo", "swell", "keel"}[r.IntN(3)], r.IntN(300))
	}
	switch x := r.IntN(100); {
	case x < 8:
		j.Result = "failed"
	case x < 12:
		j.Result = "cut"
		work = math.Ceil(work * r.Float64())
	case x < 13:
		j.Result = "never"
	}
	j.Ended = j.Started.Add(time.Duration(work) * time.Second)
	return j
}

func poisson(r *rand.Rand, mean float64) int {
	n, p := 0, r.Float64()
	for limit := math.Exp(-mean); p >= limit; n++ {
		p *= r.Float64()
	}
	return n
}

// Export writes jobs as some system may: semicolons, dates by points, tags in brackets.
func Export(jobs []Job) []byte {
	var b bytes.Buffer
	fmt.Fprintln(&b, "Build;Job Name;Branch;Queued;Started;Finished;Runner Tags;Status")
	const layout = "02.01.2006 15:04:05"
	for i := range jobs {
		j := &jobs[i]
		fmt.Fprintf(&b, "%d;%s;%s;%s;%s;%s;[%s];%s\n", j.Number, j.Name(), j.Branch, j.Submitted.Format(layout), j.Started.Format(layout),
			j.Ended.Format(layout), strings.Join(j.Wants, ","), strings.ToUpper(j.Result))
	}
	return b.Bytes()
}
