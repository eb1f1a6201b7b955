package explore_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/aim"
	"tachyphor/core/explore"
)

// Every number of an answer says what it is of, how it is made and how sure it is; those by draws that took part in
// choosing say so, and what is no number is none. Aims that nobody asks for are those of the scenario.
func TestWhyOfVariants(t *testing.T) {
	text := strings.Replace(queue(60, 4, 6, 2, 3), "span: 3d", "span: 1d", 1)
	text = strings.Replace(text, "  nodes: {growth", "  aims: [60 % of all jobs start within 5m, bill at most 9000 a month]\n  nodes: {growth", 1)
	small := strings.ReplaceAll(fleet, "from: 3, to: 12", "from: 5, to: 8")
	a := answer(t, input(t, text), spec(t, small), 2)
	if len(a.Aims) != 2 || a.Aims[0].Says != "60 % of all jobs start within 5m" || a.Confirm == nil {
		t.Fatalf("%+v %s", a.Aims, a.Sentence)
	}
	if own := answer(t, input(t, text), spec(t, small+"  aims: [bill at most 1 a month]\n"), 2); len(own.Aims) != 1 || own.Today != aim.Missed {
		t.Errorf("asked for something else, the answer is of %+v", own.Aims)
	}
	ask := func(of, draws string, m *explore.Measures) {
		t.Helper()
		for _, figure := range []string{"delay", "lead", "bill", "worth", "aim/1", "aim/2"} {
			why, ok := a.WhyOf(of + "/" + figure)
			if !ok || why.Of != of+"/"+figure || why.Value == "" || why.What == "" || why.Interval == "" || why.Runs != m.Bill.Runs || !strings.Contains(why.How, draws) {
				t.Errorf("%s/%s: %+v", of, figure, why)
			}
		}
		if why, _ := a.WhyOf(of + "/aim/2"); !strings.Contains(why.Value, a.Aims[1].Reads(m.Aims[1], a.Currency)) || !strings.Contains(why.What, "bill at most 9000 a month") {
			t.Errorf("%+v", why)
		}
	}
	for i := range a.Variants {
		ask(fmt.Sprintf("variant/%d", i), "took part in choosing", &a.Variants[i].Measures)
	}
	ask("recommended", "took no part in choosing", &a.Confirm.Best)
	ask("today", "took no part in choosing", &a.Confirm.Today)
	for _, of := range []string{"", "variant", "variant/x/bill", "variant/-1/bill", "variant/99/bill", "variant/0/", "variant/0/aim/0", "variant/0/aim/3", "recommended/much", "best/bill"} {
		if why, ok := a.WhyOf(of); ok {
			t.Errorf("%s: %+v", of, why)
		}
	}
	a.Confirm = nil
	if why, ok := a.WhyOf("today/bill"); ok {
		t.Errorf("%+v", why)
	}
}
