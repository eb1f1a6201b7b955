package explore_test

import (
	"os"
	"strings"
	"testing"

	"tachyphor/core/aim"
	"tachyphor/core/explore"
)

func margins(t testing.TB, text string, workers int, aims ...string) *explore.Margins {
	t.Helper()
	q, err := explore.AskMargin(input(t, text), aims)
	if err != nil {
		t.Fatal(err)
	}
	m, err := q.Margins(explore.Way{Workers: workers})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func of(t testing.TB, m *explore.Margins, what string) explore.Margin {
	t.Helper()
	for _, x := range m.Margins {
		if x.Of == what {
			return x
		}
	}
	t.Fatalf("no margin of %s in %+v", what, m.Margins)
	return explore.Margin{}
}

// A queue with a known answer bears as many more jobs as Erlang says, from above and from below;
// prices move bills alone, boots of nodes that are there nothing; workers change nothing.
func TestMargins(t *testing.T) {
	const perHour, minutes, c = 60.0, 4.0, 7
	true_ := 1.0 // the factor at which Erlang's share is at the bound
	for within(c, true_*perHour, minutes, 60) > 0.85 {
		true_ *= 1.001
	}
	wrong := 0
	seeds := uint64(1)
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		seeds = 4
	}
	for seed := range seeds {
		text := queue(perHour, minutes, c, 4, seed+1)
		m := margins(t, text, 2, "85 % of all jobs start within 60s", "bill at most 3000 a month")
		jobs := of(t, m, "jobs")
		b := jobs.Aims[0]
		if b.Today != aim.Kept || b.Kept < 1 || b.Missed <= b.Kept || jobs.First != 0 || b.Missed > 1.3*b.Kept {
			t.Fatalf("seed %d: %+v", seed, jobs)
		}
		if b.Kept > true_*1.02 || b.Missed < true_/1.02 {
			wrong++
			t.Logf("seed %d: kept up to %.2f, missed from %.2f; Erlang: %.2f", seed, b.Kept, b.Missed, true_)
		}
		if !strings.Contains(jobs.Why, "the ceiling of t") {
			t.Errorf("why: %q", jobs.Why)
		}
		prices := of(t, m, "node prices")
		if !prices.Aims[0].Unmoved || prices.First != 1 || prices.Aims[1].Kept < 1 {
			t.Errorf("%+v", prices)
		}
		// 7 agents of a node each at 0.5 an hour.
		if bill := 7 * 0.5 * 730.5; prices.Aims[1].Kept > 3000/bill*1.001 || prices.Aims[1].Missed < 3000/bill {
			t.Errorf("a bill of %.0f bears %.3f to %.3f", bill, prices.Aims[1].Kept, prices.Aims[1].Missed)
		}
		if images := of(t, m, "image sizes"); images.First >= 0 || !images.Aims[0].AtMost {
			t.Errorf("%+v", images)
		}
		if !strings.HasPrefix(m.Sentence, "All aims are kept up to ") {
			t.Error(m.Sentence)
		}
		if seed == 0 {
			if other := margins(t, text, 1, "85 % of all jobs start within 60s", "bill at most 3000 a month"); raw(t, other) != raw(t, m) {
				t.Error("workers change the answer")
			}
		}
	}
	if wrong > 0 {
		t.Errorf("%d of 2 do not hold Erlang's factor between them", wrong)
	}
	m := margins(t, queue(perHour, minutes, 5, 4, 1), 2, "85 % of all jobs start within 60s")
	if jobs := of(t, m, "jobs").Aims[0]; jobs.Today != aim.Missed || jobs.Kept >= 1 || jobs.Kept < 0.5 || !strings.Contains(m.Sentence, "it would be kept with 0.") {
		t.Errorf("%+v %s", jobs, m.Sentence)
	}
	m = margins(t, queue(perHour, minutes, 9, 4, 1), 2, "nobody waits over 10s")
	if jobs := of(t, m, "jobs"); jobs.Aims[0].Kept >= 1 && jobs.Aims[0].Today == aim.Missed {
		t.Errorf("%+v", jobs)
	}
	if _, err := explore.AskMargin(input(t, queue(perHour, minutes, 9, 4, 1)), nil); err == nil {
		t.Error("nothing was asked, and nothing said")
	}
}
