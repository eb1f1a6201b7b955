package demand_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

var start = time.Date(2026, 9, 14, 0, 0, 0, 0, time.UTC) // a Monday

func logOf(t *testing.T, csv string) *demand.Jobs {
	t.Helper()
	r, err := demand.Parse([]byte(csv), nil)
	if err != nil {
		t.Fatal(err)
	}
	jobs, bad := r.Bind(workload(t, recordedSpec))
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	return jobs
}

// Jobs that are drawn one by one come as a Poisson process of the log's rates would: each
// hour has its own mean and a variance as large, bursts stay where they were, and what
// comes after a job is there as often as it is and after it.
func TestJobsAlikeVaryAsArrivalsDo(t *testing.T) {
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work,memory,after\n")
	for i := range 240 { // an hour of 60, and then one of 180
		at := 60.0 * float64(i)
		if i >= 60 {
			at = 3600 + 20*float64(i-60)
		}
		fmt.Fprintf(&csv, "j%d,%.1f,a,%d,%dMi,\n", i, at, 10+i, 1+i)
	}
	for i := range 100 { // a burst within ten seconds
		fmt.Fprintf(&csv, "b%d,%.1f,a,5,1Mi,\n", i, 10_000+0.1*float64(i))
		fmt.Fprintf(&csv, "f%d,%.1f,b,7,,b%d\n", i, 10_000+0.1*float64(i), i)
	}
	log := logOf(t, csv.String())
	const draws = 2000
	kinds := []string{"first hour", "second hour", "burst", "after the burst"}
	sum, sq := map[string]float64{}, map[string]float64{}
	for d := range draws {
		jobs := log.Alike(0, 6*units.Hour, 3*units.Hour, start, chance.Root(1, d))
		n := map[string]float64{}
		last := units.Duration(0)
		for i, j := range jobs.List {
			id := jobs.ID(i)
			if j.Submitted < last || j.Submitted < 0 {
				t.Fatal("not in order")
			}
			last = j.Submitted
			source, _ := log.Find(id)
			was := log.List[source]
			if j.Work != was.Work || j.Class != was.Class || jobs.Memory[i] != log.Memory[source] {
				t.Fatalf("%s is %v, was %v", id, j, was)
			}
			if off := j.Submitted - was.Submitted; off < -units.Hour || off > units.Hour {
				t.Fatalf("%s came %v later", id, off)
			}
			switch {
			case id[0] == 'f':
				n["after the burst"]++
				lead := jobs.After(i)
				if len(lead) != 1 || jobs.ID(int(lead[0]))[1:] != id[1:] || jobs.List[lead[0]].Submitted != j.Submitted {
					t.Fatalf("%s comes after %v", id, lead)
				}
			case id[0] == 'b':
				if j.Submitted >= 9990*units.Second && j.Submitted < 10_020*units.Second {
					n["burst"]++
				}
			case j.Submitted < units.Hour:
				n["first hour"]++
			case j.Submitted < 7220*units.Second:
				n["second hour"]++
			}
		}
		for _, k := range kinds {
			sum[k], sq[k] = sum[k]+n[k]/draws, sq[k]+n[k]*n[k]/draws
		}
	}
	for i, want := range []float64{60, 180, 100, 100} {
		k := kinds[i]
		variance := sq[k] - sum[k]*sum[k]
		// The mean of 2000 draws, and their variance, whose own deviation is √(2/2000).
		if math.Abs(sum[k]-want) > 5*math.Sqrt(want/draws)+0.05*want || math.Abs(variance/want-1) > 5*math.Sqrt(2.0/draws) {
			t.Errorf("%s: %.1f jobs with a variance of %.1f, want %v of both", k, sum[k], variance, want)
		}
	}
}

// Of four weeks days are drawn: each is one of those of its day of the week, whole, and all
// are drawn alike often; the days to warm up too.
func TestDaysAlikeAreOfTheirWeekday(t *testing.T) {
	const weeks = 4
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work,after\n")
	for day := range 7 * weeks {
		after := ""
		for i := range 5 + day { // one more every day
			fmt.Fprintf(&csv, "d%d-%d,%d,a,60,%s\n", day, i, 86400*day+600*i, after)
			after = fmt.Sprintf("d%d-%d", day, i)
		}
	}
	const warm = 30 * units.Hour
	log := logOf(t, csv.String()).WithWarmup(warm, units.Week)
	seen := map[int]int{}
	const draws = 400
	for d := range draws {
		jobs := log.Alike(warm, units.Week, weeks*units.Week, start, chance.Root(1, d))
		days := map[int]map[int]int{} // by day of the span: how many of each day of the log
		for i, j := range jobs.List {
			var day, n int
			id := jobs.ID(i)
			if _, err := fmt.Sscanf(id, "d%d-%d", &day, &n); err != nil {
				t.Fatalf("%s", id)
			}
			at := int(math.Floor((j.Submitted - warm).Seconds() / 86400))
			if days[at] == nil {
				days[at] = map[int]int{}
			}
			days[at][day]++
			if want := warm + units.Duration(at)*units.Day + units.Duration(600*n)*units.Second; j.Submitted != want {
				t.Fatalf("%s comes at %v, want %v", id, j.Submitted, want)
			}
			if lead := jobs.After(i); (n > 0 && j.Submitted > 600*units.Second) != (len(lead) == 1) && at >= 0 {
				t.Fatalf("%s comes after %v", id, lead)
			}
		}
		for at := range 7 {
			for day, n := range days[at] {
				if len(days[at]) != 1 || day%7 != at || n != 5+day {
					t.Fatalf("day %d has %v", at, days[at])
				}
				seen[day]++
			}
		}
		if len(days[-1]) != 1 {
			t.Fatalf("the day before has %v", days[-1])
		}
	}
	for day := range 7 * weeks {
		if n := float64(seen[day]); math.Abs(n-draws/weeks) > 4.5*math.Sqrt(draws*0.25*0.75) {
			t.Errorf("day %d was drawn %v times of %d", day, n, draws/weeks)
		}
	}
}

// What a timetable starts is there every day, a burst of one day stays on that day, and
// all else comes on any day of its kind: a quiet Monday may be a busy one.
func TestWeeksAlikeKeepWhatIsRegular(t *testing.T) {
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work\n")
	r := rand.New(rand.NewPCG(1, 1))
	row := func(kind string, i int, at float64) { fmt.Fprintf(&csv, "%s%d,%.2f,a,60\n", kind, i, at) }
	flow := 0
	for day := range 5 {
		for i := range 12 { // every night
			row("n", 12*day+i, float64(86400*day)+2*3600+300*r.Float64())
		}
		for at := 9 * 3600.0; at < 17*3600; at += 180 * r.ExpFloat64() * float64(1+day%2) { // 20 an hour, or 10
			row("f", flow, float64(86400*day)+at)
			flow++
		}
	}
	for i := range 60 {
		row("b", i, 86400+12*3600+60*r.Float64())
	}
	for i := range 30 {
		row("w", i, 5*86400+9*3600+8*3600*r.Float64())
	}
	log := logOf(t, csv.String())
	const draws = 300
	counts := map[string][]float64{}
	for d := range draws {
		jobs := log.Alike(0, units.Week, units.Week, start, chance.Root(2, d))
		n := map[string]float64{}
		for i, j := range jobs.List {
			n[fmt.Sprintf("%c%d", jobs.ID(i)[0], j.Submitted/units.Day)]++
		}
		for k, v := range n {
			counts[k] = append(counts[k], v)
		}
	}
	mean := func(k string) (sum float64) {
		for _, v := range counts[k] {
			sum += v / draws
		}
		return sum
	}
	for day := range 5 {
		if k := fmt.Sprint("n", day); len(counts[k]) != draws || slices.Min(counts[k]) != 12 || slices.Max(counts[k]) != 12 {
			t.Errorf("the night of day %d has %v", day, counts[k])
		}
		if k, want := fmt.Sprint("f", day), float64(flow)/5; math.Abs(mean(k)-want) > 0.06*want {
			t.Errorf("day %d has %.1f jobs on average, want %.1f", day, mean(k), want)
		}
	}
	if got := mean("b1"); math.Abs(got-60) > 4 || mean("b0")+mean("b2")+mean("b3")+mean("b4") > 0 {
		t.Errorf("the burst has %.1f jobs on its day, and others %.1f", got, mean("b0")+mean("b2")+mean("b3")+mean("b4"))
	}
	if got := mean("w5") + mean("w6"); math.Abs(got-30) > 2 || mean("w0") > 0 {
		t.Errorf("the weekend has %.1f jobs", got)
	}
}

// A long chain, each job after the one before, is drawn in no time, whole or not at all
// each time that it is drawn.
func TestAlikeOfALongChain(t *testing.T) {
	const n = 50_000
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work,after\n")
	after := ""
	for i := range n {
		fmt.Fprintf(&csv, "j%d,%d,a,1,%s\n", i, i, after)
		after = fmt.Sprint("j", i)
	}
	jobs := logOf(t, csv.String()).Alike(0, units.Week, units.Week, start, chance.Root(1, 4))
	if len(jobs.List)%n != 0 {
		t.Errorf("%d jobs", len(jobs.List))
	}
}
