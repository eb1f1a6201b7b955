package forecast

import (
	"fmt"
	"math"
	"slices"
	"time"

	"tachyphor/core/portable"
)

// A PastWeek is a week of records.
type PastWeek struct {
	Monday time.Time `json:"monday" doc:"When it began."`
	Jobs   int       `json:"jobs" doc:"Jobs that came."`
	Odd    bool      `json:"odd,omitempty" doc:"None, or less than half or more than twice of what is usual: it is left out."`
	Drawn  bool      `json:"drawn,omitempty" doc:"Days are drawn from it."`
}

// A WeekLevel is how many jobs are expected in a week.
type WeekLevel struct {
	Expected float64 `json:"expected" doc:"Jobs, in the middle."`
	Low      float64 `json:"low" doc:"Fewer one time in twenty."`
	High     float64 `json:"high" doc:"More one time in twenty."`
	Weeks    int     `json:"weeks" doc:"Weeks that it rests on."`
	Growth   float64 `json:"growth,omitempty" doc:"By what each week is multiplied, where the weeks bear a trend; absent: they do not."`
	Says     string  `json:"says" doc:"What it rests on, in words."`

	mid, spread float64 // on the scale of logarithms; the spread is of one more week, 0: not known
	among       float64 // that of weeks among each other
	free        int     // degrees of freedom
}

const (
	// mostWeeks is how many weeks a level rests on at most.
	mostWeeks = 12
	// trendFrom is from how many weeks on a trend is looked for, and odd ones are left out from oddFrom on.
	trendFrom, oddFrom = 6, 4
)

// levelOf says how many jobs to expect in a week that is so many after the last (1: the next). A trend
// is followed only where a right line without one would look like it once in twenty.
func levelOf(weeks []PastWeek, ahead int) WeekLevel {
	if len(weeks) > mostWeeks {
		weeks = weeks[len(weeks)-mostWeeks:]
	}
	if len(weeks) >= oddFrom {
		var counts []int
		for _, w := range weeks {
			counts = append(counts, w.Jobs)
		}
		counts = slices.DeleteFunc(counts, func(n int) bool { return n == 0 })
		slices.Sort(counts)
		usual := float64(counts[len(counts)/2])
		for i := range weeks {
			n := float64(weeks[i].Jobs)
			weeks[i].Odd = n < usual/2 || n > 2*usual
		}
	}
	for i := range weeks {
		weeks[i].Odd = weeks[i].Odd || weeks[i].Jobs == 0
	}
	var at, x []float64 // when, counted from the last, and the logarithm
	for i, w := range weeks {
		if !w.Odd {
			at, x = append(at, float64(i-len(weeks)+1)), append(x, portable.Log(float64(w.Jobs)))
		}
	}
	n := float64(len(x))
	l := WeekLevel{Weeks: len(x)}
	mean, slope, left, crossed, middle := fitted(at, x)
	l.mid, l.free = mean, len(x)-1
	trend := 0.0
	switch se := math.Sqrt(left / max(1, n-2) / max(crossed, 1e-9)); {
	case len(x) == 1:
	case len(x) >= trendFrom && math.Abs(slope) > float64(portable.StudentQuantile(len(x)-2)*se) && math.Abs(slope) > 1e-3:
		trend, l.free = slope, len(x)-2
		off := float64(ahead) - middle
		l.mid = mean + float64(slope*off)
		l.among = math.Sqrt(left / (n - 2))
		l.spread = l.among * math.Sqrt(1+1/n+float64(off*off)/crossed)
		l.Growth = portable.Exp(slope)
	default:
		l.among = math.Sqrt((left + float64(float64(slope*slope)*crossed)) / (n - 1))
		l.spread = l.among * math.Sqrt(1+1/n)
	}
	half := 0.0
	if l.free > 0 {
		half = min(float64(portable.StudentBeyond(l.free, 0.1)*l.spread), mostOff)
	}
	l.Expected, l.Low, l.High = portable.Exp(l.mid), portable.Exp(l.mid-half), portable.Exp(l.mid+half)
	l.Says = l.words(trend)
	return l
}

// mostOff is how far, on the scale of logarithms, one more week is held to be off: a factor of two.
const mostOff = math.Ln2

// fitted are the mean of x, its slope over at, what is left of its squares beside the line, and the squares
// and the mean of at.
func fitted(at, x []float64) (mean, slope, left, crossed, middle float64) {
	n := float64(len(x))
	for i := range x {
		mean, middle = mean+x[i]/n, middle+at[i]/n
	}
	both := 0.0
	for i := range x {
		crossed += float64((at[i] - middle) * (at[i] - middle))
		both += float64((at[i] - middle) * (x[i] - mean))
	}
	if crossed > 0 {
		slope = both / crossed
	}
	for i := range x {
		off := x[i] - mean - float64(slope*(at[i]-middle))
		left += float64(off * off)
	}
	return mean, slope, left, crossed, middle
}

func (l *WeekLevel) words(trend float64) string {
	switch {
	case l.Weeks == 1:
		return "It rests on one week: how weeks differ is not known, and bands hold what days of that week tell alone."
	case trend != 0:
		return fmt.Sprintf("Of %d weeks, each has on average %+.1f %% jobs on that before.", l.Weeks, 100*(l.Growth-1))
	case l.Weeks < trendFrom:
		return fmt.Sprintf("It rests on %d weeks, which is too few to tell a trend (%d are needed).", l.Weeks, trendFrom)
	}
	return fmt.Sprintf("%d weeks show no trend that chance would not.", l.Weeks)
}
