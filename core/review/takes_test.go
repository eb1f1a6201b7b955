package review_test

import (
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/review"
)

// Jobs that want nothing, where all templates take only what names them: match tells it, and check with
// the edit that mends it.
func TestTakesOnlyWhatNamesIt(t *testing.T) {
	shelf := func(compile, small string) *review.Shelf {
		s := demoShelf(t)
		for name, takes := range map[string]string{"compile-wide": compile, "small-steady": small, "image-maker": "named"} {
			d := s.Find(document.KindPodTemplate, name)
			text := strings.Replace(d.Text, "  annotations:\n", "  annotations:\n    tachyphor/takes: "+takes+"\n", 1)
			docs, faults := document.Parse(d.File, []byte(text))
			if len(faults) > 0 || text == d.Text {
				t.Fatal(faults)
			}
			s.Replace(docs[0])
		}
		w := s.Find(document.KindWorkload, "week-38")
		docs, faults := document.Parse(w.File, []byte(strings.Replace(w.Text, "wants: [linux, web]", "wants: []", 1)))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		s.Replace(docs[0])
		return s
	}
	goes := func(s *review.Shelf) review.ClassMatch {
		m := s.Match(s.Find(document.KindWorkload, "week-38"), s.Find(document.KindScenario, "weekday-lean"))
		for _, c := range m.Classes {
			if c.Class == "shore-desk" {
				return c
			}
		}
		t.Fatal(m.Classes)
		return review.ClassMatch{}
	}
	if c := goes(shelf("named", "any")); len(c.Templates) != 1 || c.Templates[0] != "small-steady" {
		t.Errorf("%+v", c)
	}
	s := shelf("named", "named")
	if c := goes(s); len(c.Templates) != 0 || c.Nearest == "" || len(c.Missing) != 0 {
		t.Errorf("%+v", c)
	}
	told := map[string]int{} // by scenario
	for _, d := range s.All() {
		if d.Kind != document.KindPodTemplate {
			continue
		}
		for _, f := range s.Check(d) {
			if f.ID != "class-unserved" || !strings.Contains(f.Says, "shore-desk wants nothing") {
				continue
			}
			told[f.Scenario]++
			text, err := document.Apply(d.Text, f.Fix)
			if err != nil || !strings.Contains(text, "tachyphor/takes: any") {
				t.Errorf("%v %+v", err, f)
			}
		}
	}
	if len(told) == 0 || told["weekday-lean"] != 1 {
		t.Errorf("it is told %v times", told)
	}
}
