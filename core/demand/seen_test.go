package demand_test

import (
	"math"
	"strings"
	"testing"

	"tachyphor/core/demand"
	"tachyphor/core/document"
)

func specOf(t *testing.T, text string) *document.WorkloadSpec {
	t.Helper()
	docs, faults := document.Parse("w", []byte("apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\n"+text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return &docs[0].Value.(*document.Workload).Spec
}

// What is seen of recorded jobs is what is in the log: by the hours of the zone, of the part
// of the week that it covers.
func TestSeenOfRecordedJobs(t *testing.T) {
	spec := specOf(t, `spec:
  start: 2026-09-14T00:00:00+02:00
  zone: Europe/Oslo
  jobs: {file: w.csv}
  classes: [{name: a, wants: [x], work: 1m}, {name: b, wants: [], work: {median: 2m, p95: 4m}}]
`)
	log := "id,submitted,class,work,memory,after\n1,2026-09-14T06:00:00Z,a,10,1Gi,\n2,2026-09-14T06:30:00Z,a,30,3Gi,1\n3,2026-09-21T06:10:00Z,a,20,2Gi,1\n4,2026-09-21T07:00:00Z,b,,,\n"
	r, err := demand.Parse([]byte(log), nil)
	if err != nil || r.Bads > 0 {
		t.Fatal(err, r.Bad)
	}
	s, bad := demand.See(spec, r)
	if len(bad) > 0 || !s.Recorded || s.Jobs != 4 || s.Zone != "Europe/Oslo" || s.From.Hour() != 6 || len(s.Classes) != 2 {
		t.Fatalf("%v %+v", bad, s)
	}
	if a := s.Classes[0]; a.Name != "a" || a.Median != 20e9 || a.P95 != 30e9 || a.Memory != 3<<30 || math.Abs(a.Chained-2./3) > 1e-9 {
		t.Errorf("%+v", a)
	}
	if b := s.Classes[1]; math.Abs(b.Median/120e9-1) > 1e-9 || math.Abs(b.P95/240e9-1) > 1e-9 || b.Memory != 0 {
		t.Errorf("%+v", b)
	}
	if s.Hours[8] != 1.5 || s.Hours[9] <= 0 || s.Hours[10] != 0 { // Monday 08:00 in Oslo, twice in the log
		t.Errorf("%v", s.Hours[:12])
	}
	if _, bad := demand.See(specOf(t, "spec: {start: 2026-09-14T00:00:00Z, jobs: {file: x}, classes: [{name: c, wants: [], work: 1m}]}\n"), r); len(bad) == 0 {
		t.Error("classes that the workload has not are taken")
	}
}

// Of made ones it is what classes say.
func TestSeenOfMadeJobs(t *testing.T) {
	spec := specOf(t, `spec:
  start: 2026-09-14T00:00:00Z
  classes:
    - {name: a, wants: [x], work: 1m, memory: 2Gi, arrivals: {hours: [{when: Mon-Fri 07:00-09:00, perHour: 12}], bursts: [{when: Sat 02:00, count: 7}]}}
    - {name: b, wants: [x], work: 1m, follows: {class: a, count: 2}}
`)
	s, bad := demand.See(spec, nil)
	if len(bad) > 0 || s.Recorded || math.Abs(s.Hours[7]-12) > 1e-9 || s.Hours[9] != 0 || s.Hours[5*24+2] != 7 {
		t.Fatalf("%v %+v", bad, s)
	}
	if s.Classes[0].Name != "b" || s.Classes[0].Follows != "a" || math.Abs(s.Classes[1].PerWeek-127) > 1e-6 || !strings.HasPrefix(s.Classes[1].Bursts[0], "Sat") {
		t.Errorf("%+v", s.Classes)
	}
}
