package live

import "time"

// A QueueMoment is how many jobs waited at a moment.
type QueueMoment struct {
	At      time.Time `json:"at" doc:"When."`
	Waiting int       `json:"waiting" doc:"Jobs that waited for an agent."`
	Running int       `json:"running" doc:"Jobs that ran."`
}

// A Queue is how many jobs wait, and waited.
type Queue struct {
	Waiting int           `json:"waiting" doc:"Jobs that wait for an agent now, among the newest 4,000 runs."`
	Running int           `json:"running" doc:"Jobs that run, likewise."`
	Before  []QueueMoment `json:"before" doc:"The same over the last hours, as far back as the newest 4,000 runs tell."`
}

// QueueOf counts jobs that wait and run as of now, and at so many steps of a time before. Of times at which
// the first of the jobs was not there yet nothing is told: others may have been.
func QueueOf(jobs []Job, now time.Time, long time.Duration, steps int) Queue {
	out := Queue{Before: []QueueMoment{}}
	if len(jobs) == 0 {
		return out
	}
	first := jobs[0].Asked
	for i := range jobs {
		if jobs[i].Asked.Before(first) {
			first = jobs[i].Asked
		}
	}
	step := long / time.Duration(steps)
	begin := now.Truncate(step).Add(-long + step)
	for n := range steps {
		if at := begin.Add(time.Duration(n) * step); !at.Before(first) {
			out.Before = append(out.Before, QueueMoment{At: at.UTC()})
		}
	}
	for i := range jobs {
		j := &jobs[i]
		switch j.State {
		case Waiting:
			out.Waiting++
		case Running:
			out.Running++
		}
		for n := range out.Before {
			switch at := out.Before[n].At; {
			case at.Before(j.Asked):
			case !j.Started.IsZero() && !at.Before(j.Started):
				if j.State == Running || at.Before(j.Ended) {
					out.Before[n].Running++
				}
			case j.Started.IsZero() && j.State != Waiting: // it ended, or fell silent, and nobody knows whether it began
			default:
				out.Before[n].Waiting++
			}
		}
	}
	return out
}
