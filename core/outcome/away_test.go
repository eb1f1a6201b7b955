package outcome_test

import (
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// A template out of service from two to four, reckoned by hand: what came before goes on, what comes
// meanwhile waits for four o'clock with an idle agent beside it, and it is told why.
func TestOutOfService(t *testing.T) {
	text := worlds.Replayed(worlds.OneNode, "    - {name: a, wants: [a], work: {fixed: 1h}}\n", `  templates:
    - template: a
      agents: {every: 0s, floor: 2, ceiling: 2, linger: 1h}
      outOfService: [{from: "2026-09-14T02:00:00Z", to: "2026-09-14T04:00:00Z", reason: a new compiler}]
  run: {span: 10h, warmup: 0s, repeats: 1}
`, worlds.Template("a", "a", "1", "1Gi", "i"))
	const jobs = "id,submitted,class,work\nbefore,2026-09-14T01:30:00Z,a,3600\nwithin,2026-09-14T02:10:00Z,a,600\nlater,2026-09-14T03:30:00Z,a,600\nafter,2026-09-14T05:00:00Z,a,600\n"
	w, trace := replayed(t, text, jobs)
	for id, want := range map[string]units.Duration{
		"before": 90 * units.Minute, "within": 4 * units.Hour, "later": 4 * units.Hour, "after": 5 * units.Hour,
	} {
		j, ok := trace.Jobs.Find(id)
		if r := trace.Records[j]; !ok || r.Started != want || r.Result != sim.Succeeded {
			t.Errorf("%s started at %s", id, r.Started)
		}
	}
	if l := outcome.Limits(trace); len(l) != 1 || l[0].Label != "a is out of service (a new compiler)" || l[0].Jobs != 2 || l[0].JobHours < 2.33 || l[0].JobHours > 2.34 {
		t.Errorf("%+v", l)
	}
	o, _ := simulate(t, w, 1)
	if len(o.Story) != 1 || o.Story[0].Says != "Mon 14 Sep 02:00 to 04:00: a is out of service (a new compiler). At its end 2 jobs wait, "+
		"the longest for 1 h 50 min; the queue is gone after 0 s." {
		t.Errorf("%+v", o.Story)
	}
	j, _ := trace.Jobs.Find("within")
	if e := outcome.Explain(trace, j); !strings.Contains(e.Summary, "its template to be in service again") {
		t.Error(e.Summary)
	}
	for bad, want := range map[string]string{
		`{when: "Sun 02:00-04:00", from: "2026-09-14T02:00:00Z", to: "2026-09-14T04:00:00Z"}`: "either when", "{reason: x}": "either when",
		`{from: "2026-09-14T04:00:00Z", to: "2026-09-14T02:00:00Z"}`: "after from", `{from: "2026-09-14T04:00:00Z"}`: "after from",
	} {
		at := strings.Index(text, "outOfService: [")
		end := at + strings.Index(text[at:], "]")
		if _, err := worlds.Parse(text[:at]+"outOfService: ["+bad+text[end:], jobs); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}
