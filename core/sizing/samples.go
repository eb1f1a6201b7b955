package sizing

import (
	"math"
	"slices"

	"tachyphor/core/units"
)

// A Sample is what was seen of one container at one moment. What was not measured is
// NaN.
type Sample struct {
	At        float64 // seconds
	CPU       float64 // seconds of CPU used so far, a counter; or cores in use, where Rate says so
	Memory    float64 // working set, bytes
	Throttled float64 // seconds throttled so far, a counter
	Disk      float64 // bytes of the workspace
}

// A Series is the samples of one container of one pod, in the order in which they
// came.
type Series struct {
	Pod, Container string
	Rate           bool // CPU is cores in use, not a counter
	Killed         bool // it ended for memory: its peak is at least its limit
	Evicted        bool // it ended for disk
	Limit          units.Bytes
	Restarts       int    // containers that began anew, as far as their source tells
	Job, Class     string // the job that ran, where that is known
	Samples        []Sample
}

// Oddities count what was wrong with samples and had to be worked around.
type Oddities struct {
	Duplicates int `json:"duplicates" doc:"Samples at a moment that had one; the first was kept."`
	Steps      int `json:"steps" doc:"Samples before the one before them, as the clock was set back; they were left out."`
	Gaps       int `json:"gaps" doc:"Holes of more than three usual intervals; counters bridge them, rates do not."`
	Resets     int `json:"resets" doc:"Counters that fell: they began anew."`
	Missing    int `json:"missing" doc:"Samples without any figure."`
	Restarts   int `json:"restarts" doc:"Containers that began anew, their counters added up."`
}

// Add adds up.
func (o *Oddities) Add(p Oddities) {
	o.Duplicates, o.Steps, o.Gaps = o.Duplicates+p.Duplicates, o.Steps+p.Steps, o.Gaps+p.Gaps
	o.Resets, o.Missing, o.Restarts = o.Resets+p.Resets, o.Missing+p.Missing, o.Restarts+p.Restarts
}

// A Run is what one container used from its first sample to its last.
type Run struct {
	Pod, Container string
	Job, Class     string         // the job that ran, where that is known
	Began          float64        // seconds
	Wall           units.Duration // between the first and the last sample
	CPU            units.Duration // CPU time; what was used within gaps of rates is not in it
	Throttled      units.Duration
	Memory         units.Bytes // peak of the working set; at least, where Killed
	Disk           units.Bytes // peak
	MeanCores      float64     // CPU over the time in which it was measured
	PeakCores      float64     // most over any window of at least Window
	Parallel       float64     // share of its work that ran on all its peak cores, the rest on one; NaN: not known
	Killed         bool        // for memory
	Evicted        bool        // for disk: what it needs is at least Disk
	Samples        int
	Interval       float64 // usual time between samples, seconds
	Curve          Curve   // CPU over time
	Oddities       Oddities
}

// Ended is when the last sample was taken, in seconds.
func (r *Run) Ended() float64 { return r.Began + r.Wall.Seconds() }

// Window is the time over which the most cores are looked for: shorter bursts cost
// little when they wait.
const Window = 60.0 // seconds

// gapFactor is how many usual intervals without a sample are a gap.
const gapFactor = 3

// Reduce makes a run of a series. ok is false when fewer than two samples are left
// after duplicates and steps of the clock are taken out.
func Reduce(s Series) (r Run, ok bool) {
	kept, odd := clean(s.Samples)
	odd.Restarts = s.Restarts
	r = Run{
		Pod: s.Pod, Container: s.Container, Job: s.Job, Class: s.Class, Killed: s.Killed, Evicted: s.Evicted, Samples: len(kept),
		Parallel: math.NaN(), Oddities: odd,
	}
	if len(kept) < 2 {
		return r, false
	}
	usual := usualInterval(kept)
	r.Interval = usual
	r.Began, r.Wall = kept[0].At, seconds(kept[len(kept)-1].At-kept[0].At)
	spans := cpuSpans(kept, s.Rate, usual, &r.Oddities)
	measured, cpu := 0.0, 0.0
	for _, x := range spans {
		measured, cpu = measured+x.length, cpu+x.cpu
	}
	r.CPU = seconds(cpu)
	if measured > 0 {
		r.MeanCores, r.PeakCores = cpu/measured, peakOver(spans)
		r.Parallel = parallel(r.MeanCores, r.PeakCores)
	}
	r.Curve = curveOf(spans)
	throttled, last := 0.0, math.NaN()
	memory, disk := 0.0, 0.0
	for _, x := range kept {
		memory, disk = math.Max(memory, orZero(x.Memory)), math.Max(disk, orZero(x.Disk))
		if !math.IsNaN(x.Throttled) {
			throttled += growth(last, x.Throttled)
			last = x.Throttled
		}
	}
	r.Throttled, r.Memory, r.Disk = seconds(throttled), units.Bytes(memory), units.Bytes(disk)
	if s.Killed {
		r.Memory = max(r.Memory, s.Limit)
	}
	return r, true
}

// parallel estimates the share p of the time in which work runs on all of peak
// cores, the rest of it on one, from
//
//	mean = p·peak + (1−p)·1
//
// NaN where the peak is hardly above one core: then it tells nothing.
func parallel(mean, peak float64) float64 {
	if peak < 1.2 {
		return math.NaN()
	}
	return min(max((mean-1)/(peak-1), 0), 1)
}

// clean takes out what cannot be placed in time.
func clean(samples []Sample) (kept []Sample, odd Oddities) {
	kept = make([]Sample, 0, len(samples))
	for _, x := range samples {
		if math.IsNaN(x.CPU) && math.IsNaN(x.Memory) && math.IsNaN(x.Throttled) && math.IsNaN(x.Disk) {
			odd.Missing++
			continue
		}
		if n := len(kept); n > 0 {
			switch last := kept[n-1].At; {
			case x.At == last:
				odd.Duplicates++
				continue
			case x.At < last:
				odd.Steps++
				continue
			}
		}
		kept = append(kept, x)
	}
	return kept, odd
}

// usualInterval is the median time between samples.
func usualInterval(kept []Sample) float64 {
	d := make([]float64, 0, len(kept))
	for i := 1; i < len(kept); i++ {
		d = append(d, kept[i].At-kept[i-1].At)
	}
	slices.Sort(d)
	return d[len(d)/2]
}

// A span is a stretch between two samples with the CPU used in it.
type span struct{ from, length, cpu float64 }

// cpuSpans turns CPU samples into spans: differences of a counter, which also tell
// what was used within a gap, or a rate that holds since the sample before, but not
// over a gap.
func cpuSpans(kept []Sample, rate bool, usual float64, odd *Oddities) []span {
	out := make([]span, 0, len(kept))
	last := -1
	for i, x := range kept {
		if math.IsNaN(x.CPU) {
			continue
		}
		if last >= 0 {
			from, length := kept[last].At, x.At-kept[last].At
			gap := length > gapFactor*usual
			if gap {
				odd.Gaps++
			}
			switch {
			case rate && gap: // nobody knows
			case rate:
				out = append(out, span{from, length, math.Max(x.CPU, 0) * length})
			default:
				if x.CPU < kept[last].CPU {
					odd.Resets++
				}
				out = append(out, span{from, length, growth(kept[last].CPU, x.CPU)})
			}
		}
		last = i
	}
	return out
}

// growth is how much a counter grew from one sample to the next: one that fell began
// anew at 0. Before the first sample nothing is known.
func growth(before, now float64) float64 {
	switch {
	case math.IsNaN(before):
		return 0
	case now < before:
		return math.Max(now, 0)
	default:
		return now - before
	}
}

// peakOver returns the most cores over any run of neighbouring spans that is at least
// Window long and not longer than twice that, or over all of them.
func peakOver(spans []span) float64 {
	most, all, cpu := 0.0, 0.0, 0.0
	for i, x := range spans {
		all, cpu = all+x.length, cpu+x.cpu
		length, used := 0.0, 0.0
		for j := i; j >= 0 && length < 2*Window; j-- {
			length, used = length+spans[j].length, used+spans[j].cpu
			if length >= Window {
				most = math.Max(most, used/length)
			}
		}
	}
	if all > 0 {
		most = math.Max(most, cpu/all)
	}
	return most
}

func orZero(x float64) float64 {
	if math.IsNaN(x) {
		return 0
	}
	return x
}

func seconds(s float64) units.Duration { return units.Duration(math.Round(s * float64(units.Second))) }
