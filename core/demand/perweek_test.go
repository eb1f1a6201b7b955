package demand

import (
	"math"
	"testing"

	"tachyphor/core/document"
)

func TestJobsPerWeek(t *testing.T) {
	read := func(text string) *document.WorkloadSpec {
		docs, faults := document.Parse("w.yaml", []byte("apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\nspec:\n  "+
			"start: 2026-09-14T00:00:00Z\n"+text))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		return &docs[0].Value.(*document.Workload).Spec
	}
	made := PerWeek(read(`  classes:
    - {name: day, wants: [], work: 1m, arrivals: {hours: [{when: "Mon-Fri 10:00-11:00", perHour: 60}, {when: "Mon-Fri 08:00-18:00", perHour: 6}]}}
    - {name: night, wants: [], work: 1m, arrivals: {bursts: [{when: "Mon-Sun 02:00", count: 40}]}}
    - {name: after, wants: [], work: 1m, follows: {class: night, count: 3}}
    - {name: last, wants: [], work: 1m, follows: {class: after}}
`), nil)
	// 5 days of one hour at 60 and nine at 6: 5·(60 + 54) = 570; 7·40; three after each.
	for class, want := range map[string]float64{"day": 570, "night": 280, "after": 840, "last": 840} {
		if math.Abs(made[class]-want) > 1e-6 {
			t.Errorf("%s: %v, want %v", class, made[class], want)
		}
	}
	spec := read("  jobs: {file: x.csv}\n  classes: [{name: a, wants: [], work: 1m}]\n")
	log := func(last string) map[string]float64 {
		r, err := Parse([]byte("id,submitted,class\n1,60,a\n2,7200,a\n3,"+last+",a\n"), nil)
		if err != nil {
			t.Fatal(err)
		}
		return PerWeek(spec, r)
	}
	// Three jobs in two weeks, in almost a week, and in an afternoon.
	if got := log("1209600")["a"]; math.Abs(got-1.5) > 1e-6 {
		t.Errorf("two weeks: %v", got)
	}
	if got := log("600000")["a"]; math.Abs(got-3*604800.0/600000) > 1e-6 {
		t.Errorf("almost a week: %v", got)
	}
	if got := log("9000"); got != nil {
		t.Errorf("an afternoon says %v of a week", got)
	}
	if got := PerWeek(spec, nil); got != nil {
		t.Errorf("nothing recorded says %v", got)
	}
}
