package outcome_test

import (
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// A template that takes only what names it leaves jobs that want nothing to the next; where all do so
// they never start, and it is told.
func TestTakesOnlyWhatNamesIt(t *testing.T) {
	text := worlds.Small("", ", arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 20}]}", "{span: 6h, repeats: 1}")
	text = strings.Replace(text, "wants: [x]", "wants: []", 1)
	text = strings.Replace(text, "templates: [{template: t}]", "templates: [{template: t}, {template: u}]", 1) + worlds.Template("u", "y", "1", "4Gi", "i:1")
	named := func(text, name string) string {
		return strings.Replace(text, "metadata: {name: "+name+", annotations: {", "metadata: {name: "+name+", annotations: {tachyphor/takes: named, ", 1)
	}
	taker := func(text string) (string, *sim.Trace) {
		t.Helper()
		w, err := worlds.Parse(text, "")
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		got := "nobody"
		for j := range trace.Records {
			if k := trace.Records[j].Template; k >= 0 {
				got = w.Templates[k].Name
			}
		}
		return got, trace
	}
	for want, x := range map[string]string{"t": text, "u": named(text, "t"), "nobody": named(named(text, "t"), "u")} {
		got, trace := taker(x)
		if got != want {
			t.Errorf("%s takes them, not %s", got, want)
		}
		if want != "nobody" {
			continue
		}
		e := outcome.Explain(trace, 0)
		if !strings.Contains(e.Summary, "they want nothing, and every template takes only jobs that name something it offers") {
			t.Error(e.Summary)
		}
	}
	if _, err := worlds.Parse(strings.Replace(text, "{name: t, annotations: {", "{name: t, annotations: {tachyphor/takes: some, ", 1), ""); err == nil ||
		!strings.Contains(err.Error(), "expected named") {
		t.Error(err)
	}
}
