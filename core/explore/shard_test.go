package explore_test

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/core/world"
)

// elsewhere computes shards as another process does: of documents that are read anew, over JSON,
// in any order, some of them twice, every third here.
func elsewhere(t *testing.T, in world.Input, aims []string, shards []explore.Shard, here func(int) error, said func(int, []explore.Run) error) error {
	t.Helper()
	var texts []string
	for _, d := range in.All() {
		texts = append(texts, d.Text)
	}
	docs, faults := document.Parse("sent", []byte(strings.Join(texts, "\n---\n")))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	far := in
	far.Scenario, far.Cluster, far.Workload, far.Templates = docs[0], docs[1], docs[2], docs[3:]
	worker, err := explore.AskShards(aims, far)
	if err != nil {
		t.Fatal(err)
	}
	order := rand.New(rand.NewPCG(1, 2)).Perm(len(shards))
	order = append(order, order[0])
	return sim.Each(3, len(order), func(n int) error {
		i := order[n]
		if i%3 == 0 {
			return here(i)
		}
		var shard explore.Shard
		var runs []explore.Run
		over(t, shards[i], &shard)
		answer, err := worker.Run(shard, nil)
		if err != nil {
			return err
		}
		if over(t, answer, &runs); len(runs) > 1 {
			if err := said(i, runs[1:]); !errors.Is(err, explore.ErrOtherRuns) {
				t.Errorf("an answer that is too short is taken: %v", err)
			}
		}
		return said(i, runs)
	})
}

// over sends a value as JSON.
func over(t *testing.T, from, to any) {
	b, err := json.Marshal(from)
	if err == nil {
		err = json.Unmarshal(b, to)
	}
	if err != nil {
		t.Error(err)
	}
}

// Where shards are computed changes no byte.
func TestShards(t *testing.T) {
	const two = `  knobs:
    - {at: Scenario/spec/templates/t/agents/ceiling, values: [6, 8, 10]}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [1m, 10m, 1h]}
    - {at: PodTemplate/t/template/spec/containers/agent/resources/requests/cpu, values: ["1", "0.5"]}
  aims: [80 % of all jobs start within 5m, bill at most 9000 a month]
`
	in := input(t, strings.Replace(queue(30, 8, 8, 4, 1), "floor: 8", "floor: 0", 1))
	want := answer(t, in, spec(t, two), 1)
	q, err := explore.Ask("x", spec(t, two), in)
	if err != nil {
		t.Fatal(err)
	}
	told := 0
	got, err := q.Answer(explore.Way{Workers: 1, Elsewhere: func(shards []explore.Shard, here func(int) error, said func(int, []explore.Run) error) error {
		told += len(shards)
		return elsewhere(t, in, q.AimTexts(), shards, here, said)
	}})
	if err != nil {
		t.Fatal(err)
	}
	a, _ := json.Marshal(want)
	b, _ := json.Marshal(got)
	if string(a) != string(b) || told < 18 {
		t.Errorf("of %d shards elsewhere comes another answer of %d bytes, here it has %d", told, len(b), len(a))
	}
}

// A shard of other documents is refused, and an answer that lacks shards is none.
func TestShardsRefused(t *testing.T) {
	const one = "  knobs: [{at: Scenario/spec/templates/t/agents/ceiling, values: [6, 8, 10]}]\n"
	in := input(t, queue(30, 8, 8, 4, 1))
	q, err := explore.Ask("x", spec(t, one), in)
	if err != nil {
		t.Fatal(err)
	}
	var some []explore.Shard
	_, err = q.Answer(explore.Way{Workers: 1, Elsewhere: func(shards []explore.Shard, _ func(int) error, _ func(int, []explore.Run) error) error {
		some = shards
		return nil
	}})
	if err == nil || !strings.Contains(err.Error(), "was not answered") {
		t.Errorf("what nobody computed is told: %v", err)
	}
	other, err := explore.AskShards([]string{"bill at most 3 a month"}, in)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := other.Run(some[0], nil); !errors.Is(err, explore.ErrOtherRuns) || !strings.Contains(err.Error(), "own version") {
		t.Errorf("a shard with other aims is computed: %v", err)
	}
}
