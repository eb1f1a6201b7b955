package outcome_test

import (
	"slices"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// Six jobs of an hour on two agents: two at a time, until somebody raises the ceiling to ten half an hour
// later, when all four that wait start at once; reckoned by hand, and told.
func TestRaisedByHand(t *testing.T) {
	text := worlds.Replayed(worlds.OneNode, "    - {name: a, wants: [a], work: {fixed: 1h}}\n", `  templates:
    - {template: a, agents: {every: 0s, ceiling: 2, calendar: [{when: "Mon-Sun 08:00-20:00", ceiling: 2}]}}
  changes:
    - {at: "2026-09-14T02:00:00Z", template: a, ceiling: 3, floor: 1}
    - {at: "2026-09-14T01:30:00Z", template: a, ceiling: 10}
  run: {span: 10h, warmup: 0s, repeats: 1}
`, worlds.Template("a", "a", "1", "1Gi", "i"))
	jobs := "id,submitted,class,work\n"
	for _, id := range []string{"1", "2", "3", "4", "5", "6"} {
		jobs += "j" + id + ",2026-09-14T01:00:00Z,a,3600\n"
	}
	jobs += "late,2026-09-14T09:00:00Z,a,60\n"
	w, trace := replayed(t, text, jobs)
	var starts []units.Duration
	for _, id := range []string{"j1", "j2", "j3", "j4", "j5", "j6"} {
		j, _ := trace.Jobs.Find(id)
		starts = append(starts, trace.Records[j].Started)
	}
	slices.Sort(starts)
	h, half := units.Hour, 90*units.Minute
	if !slices.Equal(starts, []units.Duration{h, h, half, half, half, half}) {
		t.Errorf("%v", starts)
	}
	// Whatever the calendar says: three from two o'clock on, by day too.
	if _, high := w.Templates[0].Ceilings(); high != 10 || w.Templates[0].Calendar.On(9*h).Ceiling != 3 || w.Templates[0].Calendar.On(9*h).Floor != 1 ||
		w.Templates[0].Calendar.On(75*units.Minute).Ceiling != 2 || w.Templates[0].Calendar.On(half).Ceiling != 10 {
		t.Errorf("%+v", w.Templates[0].Calendar)
	}
	o, _ := simulate(t, w, 1)
	if len(o.Story) != 2 || o.Story[0].Says != "Mon 14 Sep 01:30: ceiling of a from 2 to 10. 4 jobs wait, the longest for 30 min 00 s; the queue is gone after 0 s." ||
		o.Story[1].Says != "Mon 14 Sep 02:00: floor of a from 0 to 1, ceiling of a from 10 to 3. Nobody waits." {
		t.Errorf("%+v", o.Story)
	}
	// Without the change the last ones wait for two hours.
	at := strings.Index(text, "  changes:")
	end := strings.Index(text, "  run:")
	_, trace = replayed(t, text[:at]+text[end:], jobs)
	if j, _ := trace.Jobs.Find("j6"); trace.Records[j].Started != 3*h || outcome.Limits(trace)[0].Jobs != 4 {
		t.Errorf("%s", trace.Records[j].Started)
	}
	for bad, want := range map[string]string{
		`template: b, ceiling: 1`: "expected a template of the scenario", `template: a`: "say floor, ceiling or spare",
		`template: a, floor: 3, ceiling: 2`: "must not be above the ceiling", `template: a, spare: -1`: "spare",
	} {
		if _, err := worlds.Parse(strings.Replace(text, "template: a, ceiling: 10", bad, 1), jobs); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}
