package sim_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/sim"
)

// Each change request has an entry of its own: its first build reads the trunk's and saves its own, the others
// read that. With builds: 1 each build is the first of its request.
func TestEntriesOfChangeRequests(t *testing.T) {
	log := "id,submitted,class,branch\ntrunk,0,k,trunk\n"
	for i := range 8 {
		log += fmt.Sprintf("c%d,%d,k,change\n", i, 1000*(i+1))
	}
	run := func(builds string) *sim.Trace {
		b := cached("{plan: archive, save: every-success, scope: branch}", "")
		b.classes = strings.ReplaceAll(b.classes, "changeRate: CHANGE", "changeRate: 0")
		b.classes = strings.Replace(b.classes, "wants: [x], work: 100s,", "wants: [x], work: 100s, builds: "+builds+",", 1)
		b.jobs = log
		return b.run(t)
	}
	each := run("1")
	if len(each.Entries) != 9 || each.Entries[0].Readers != 8 || each.Entries[0].Request || !each.Entries[1].Request {
		t.Errorf("%+v", each.Entries)
	}
	one := run("1000") // all but the first are of the same request
	if len(one.Entries) != 9 || one.Entries[0].Readers != 1 || one.Entries[1].Readers != 1 || one.Entries[1].How != sim.Replaced {
		t.Errorf("%+v", one.Entries)
	}
	for j := 2; j < 9; j++ {
		if one.ReadFrom[j] != int32(j-1) || one.SavedAs[int32(j)] != int32(j) {
			t.Errorf("job %d reads entry %d", j, one.ReadFrom[j])
		}
	}
}

// A red build keeps its workspace only where the rule says so, and so does one at its limit.
func TestKeptAfterFailure(t *testing.T) {
	for rule, want := range map[string]int{"": 0, "afterFailure: true, ": 3} {
		for _, how := range []string{"red: 1, ", "limit: 50s, "} {
			b := cached("{plan: archive, "+rule+"save: every-success}", "")
			b.classes = strings.ReplaceAll(b.classes, "changeRate: CHANGE", "changeRate: 0")
			b.classes = strings.Replace(b.classes, "wants: [x], work: 100s,", "wants: [x], work: 100s, "+how, 1)
			b.jobs = "id,submitted,class\na,0,k\nb,1000,k\nc,2000,k\n"
			trace := b.run(t)
			if len(trace.Entries) != want {
				t.Errorf("%s%s: %d entries, want %d", rule, how, len(trace.Entries), want)
			}
			if trace.Records[0].Result != sim.Succeeded == (how == "red: 1, ") {
				t.Errorf("%s: %v", how, trace.Records[0].Result)
			}
		}
	}
}

// Over many builds each change request has as many as its class says.
func TestBuildsOfAChangeRequest(t *testing.T) {
	var log strings.Builder
	log.WriteString("id,submitted,class,branch\n")
	for i := range 4000 {
		fmt.Fprintf(&log, "c%d,%d,k,change\n", i, 3*i)
	}
	b := cached("{plan: archive, save: every-success, scope: branch}", "")
	b.classes = "[{name: k, project: a, wants: [x], work: 1s, builds: 4, workspace: {cold: 1s, size: 1B}}]"
	b.cluster, b.jobs = "", log.String()
	b.agents = "linger: 1h"
	trace := b.run(t)
	first := 0
	for j := range trace.Records {
		if trace.ReadFrom[j] < 0 {
			first++
		}
	}
	if got := 4000 / float64(first); got < 3.6 || got > 4.4 {
		t.Errorf("%.2f builds each, want 4", got)
	}
}
