package explore_test

import (
	"strings"
	"testing"

	"tachyphor/core/explore"
)

// Variants that cannot carry their jobs, or that pay more in any case than another has, are not run and
// said; what is recommended is what it is when they are. Where nothing can be, the nearest is told.
func TestStruckOut(t *testing.T) {
	in := input(t, queue(30, 8, 8, 4, 1)) // 4 agents are at work on average
	struck := func(a *explore.Answer, why string) int {
		for _, s := range a.Struck {
			if strings.Contains(s.Why, why) && s.One != "" && strings.Contains(strings.Join(a.Notes, " "), s.Why) {
				return s.Variants
			}
		}
		return 0
	}
	few := answer(t, in, spec(t, `  knobs: [{at: Scenario/spec/agentCeiling, values: [1, 2, 3, 4, 6, 7, 8]}]
  aims: [85 % of all jobs start within 60s]
`), 2)
	if n := struck(few, "can carry at most"); n < 2 || n+len(few.Variants) != 8 || few.Best < 0 {
		t.Errorf("%d struck out: %+v, %d variants: %s", n, few.Struck, len(few.Variants), few.Sentence)
	}
	const pool = "  knobs: [{at: Scenario/spec/nodes/pools/p/min, from: 0, to: 40, by: 1}]\n"
	many := answer(t, in, spec(t, pool+"  aims: [85 % of all jobs start within 60s]\n"), 2)
	if n := struck(many, "more than another has"); n < 10 || n+len(many.Variants) < 40 {
		t.Errorf("%d struck out: %+v, %d variants: %s", n, many.Struck, len(many.Variants), many.Sentence)
	}
	dear := answer(t, in, spec(t, pool+"  aims: [85 % of all jobs start within 60s, bill at most 5000 a month]\n"), 2)
	if n := struck(dear, `"bill at most 5000 a month" is missed by what is paid for in any case`); n < 20 {
		t.Errorf("%d struck out: %+v: %s", n, dear.Struck, dear.Sentence)
	}
	none := answer(t, in, spec(t, `  knobs: [{at: Scenario/spec/agentCeiling, values: [1, 2, 3]}]
  aims: [85 % of all jobs start within 60s, bill at most 1 a month]
`), 2)
	if len(none.Struck) > 0 && len(none.Variants) == 1 || !strings.Contains(none.Sentence, "None of the") {
		t.Errorf("%+v: %s", none.Struck, none.Sentence)
	}
	t.Log(few.Sentence, few.Notes, many.Sentence, many.Notes, dear.Notes, none.Sentence, none.Notes)
}
