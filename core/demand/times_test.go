package demand_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"tachyphor/core/units"
)

// Of a log that is there several times each job has as many others like it, near it, with what
// comes after it; what a smaller number has a larger one has too; and hours stay what they are.
func TestTimesOfALog(t *testing.T) {
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work,memory,after\n")
	const many, hours = 6000, 60
	r := rand.New(rand.NewPCG(1, 2))
	for i := range many {
		at := r.Float64() * hours * 3600
		fmt.Fprintf(&csv, "j%d,%.1f,a,%d,%dMi,\n", i, at, 10+i, 1+i)
		if i%10 == 0 {
			fmt.Fprintf(&csv, "f%d,%.1f,b,7,,j%d\n", i, at, i)
		}
	}
	log := logOf(t, csv.String())
	at := map[string]units.Duration{}
	for i, j := range log.List {
		at[log.ID(i)] = j.Submitted
	}
	before := map[string]bool{}
	for _, by := range []float64{0.3, 0.8, 1, 1.25, 2, 2.5} {
		jobs := log.Times(by)
		if got, want := float64(len(jobs.List)), by*float64(len(log.List)); math.Abs(got-want) > 4*math.Sqrt(want)*0.5+1 {
			t.Errorf("%v times: %v jobs, expected about %v", by, got, want)
		}
		now := map[string]bool{}
		perHour := make([]float64, hours)
		last := units.Duration(0)
		for i, j := range jobs.List {
			id := jobs.ID(i)
			if now[id] {
				t.Fatalf("%v times: %s is there twice", by, id)
			}
			if now[id] = true; j.Submitted < last || j.Submitted < 0 {
				t.Fatalf("%v times: not in order", by)
			}
			last = j.Submitted
			own, _, copied := strings.Cut(id, "~")
			if moved := j.Submitted - at[own]; moved < -30*units.Minute-at[own] || moved > 30*units.Minute || !copied && moved != 0 {
				t.Fatalf("%v times: %s moved by %v", by, id, moved)
			}
			if strings.HasPrefix(id, "f") {
				after := jobs.After(i)
				if want := "j" + id[1:]; len(after) != 1 || jobs.ID(int(after[0])) != want {
					t.Fatalf("%v times: %s does not come after %s", by, id, want)
				}
			}
			if h := int(j.Submitted / units.Hour); h < hours && strings.HasPrefix(id, "j") {
				perHour[h]++
			}
		}
		for id := range before {
			if !now[id] {
				t.Fatalf("%v times: %s is gone", by, id)
			}
		}
		before = now
		mean, sq := 0.0, 0.0
		for _, n := range perHour[1 : hours-1] { // at the ends nothing comes from beyond
			mean += n / float64(hours-2)
		}
		for _, n := range perHour[1 : hours-1] {
			sq += (n - mean) * (n - mean) / float64(hours-3)
		}
		// What is there n times is so in the same hours: a busy hour stays one, and counts of an hour vary
		// up to n times as much as Poisson's.
		if most := 1.6 * max(1, by); sq/mean < 0.55 || sq/mean > most {
			t.Errorf("%v times: %.1f jobs an hour with a variance of %.1f", by, mean, sq)
		}
	}
	if log.Times(1).List[7] != log.List[7] {
		t.Error("once is not as it is")
	}
}
