package explore_test

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"

	"tachyphor/core/explore"
	"tachyphor/core/world"
)

// A memory keeps runs in a map, and can be told to fail after some.
type memory struct {
	mu    sync.Mutex
	runs  map[string][]byte
	kept  int
	until int // fails after so many; 0: never
}

var errFull = errors.New("full")

func (m *memory) Recall(keys []string) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, k := range keys {
		if b, ok := m.runs[k]; ok {
			out[k] = b
		}
	}
	return out, nil
}

func (m *memory) Keep(key string, said []byte) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.until > 0 && m.kept >= m.until {
		return errFull
	}
	m.runs[key] = said
	m.kept++
	return nil
}

// Nothing is computed twice: what was broken off goes on, what is asked again is read, a sweep
// that overlaps runs the rest; and the answer is the same bytes as without any memory.
func TestNothingTwice(t *testing.T) {
	in := input(t, queue(60, 4, 12, 4, 1))
	s := spec(t, fleet+"  aims: [\"85 % of all jobs start within 60s\"]\n  budget: {runs: 400}\n")
	want := raw(t, answer(t, in, s, 2))
	ask := func(m *memory, s string) (*explore.Answer, error) {
		q, err := explore.Ask("x", spec(t, s), in)
		if err != nil {
			t.Fatal(err)
		}
		return q.Answer(explore.Way{Workers: 2, Memory: m})
	}
	text := fleet + "  aims: [\"85 % of all jobs start within 60s\"]\n  budget: {runs: 400}\n"
	m := &memory{runs: map[string][]byte{}, until: 20}
	if _, err := ask(m, text); !errors.Is(err, errFull) {
		t.Fatal(err)
	}
	m.until = 0
	a, err := ask(m, text)
	if err != nil || raw(t, a) != want {
		t.Fatalf("went on with another answer: %v", err)
	}
	if m.kept != a.Runs {
		t.Fatalf("%d runs were computed of %d", m.kept, a.Runs)
	}
	m.kept = 0
	if a, err = ask(m, text); err != nil || raw(t, a) != want || m.kept != 0 {
		t.Fatalf("asked again, %d runs were computed: %v", m.kept, err)
	}
	if _, err := ask(m, strings.Replace(text, "3, to: 12", "3, to: 13", 2)); err != nil || m.kept == 0 || m.kept > 2*17+32 {
		t.Fatalf("of one agent more, %d runs were computed: %v", m.kept, err)
	}
	m.kept = 0
	if _, err := ask(m, strings.Replace(text, "85 %", "84 %", 1)); err != nil || m.kept == 0 {
		t.Fatalf("another aim was answered from memory: %v", err)
	}
	sizes := 0
	for _, b := range m.runs {
		if !strings.Contains(string(b), "delays") {
			sizes = max(sizes, len(b))
		}
	}
	if sizes > 500 {
		t.Errorf("a run's summary takes %d bytes", sizes)
	}
}

// The changes that an answer tells make the variant that it ran.
func TestChangesOfAVariant(t *testing.T) {
	in := input(t, queue(60, 4, 12, 4, 1))
	a := answer(t, in, spec(t, fleet+"  aims: [\"85 % of all jobs start within 60s\"]\n  budget: {runs: 400}\n"), 2)
	read := new(explore.Answer)
	if err := json.Unmarshal([]byte(raw(t, a)), read); err != nil {
		t.Fatal(err)
	}
	a = read
	for n, v := range a.Variants {
		changes, err := a.Changes(n)
		if err != nil {
			t.Fatal(err)
		}
		named, faults, err := in.Named.With(changes)
		if err != nil || len(faults) > 0 {
			t.Fatal(err, faults)
		}
		other := in
		other.Named = named
		if _, faults := world.Assemble(other); len(faults) > 0 {
			t.Fatal(faults)
		}
		for _, s := range v.Settings {
			_, says, err := named.Scenario.Field([]string{"spec", "templates", "t", "agents", "ceiling"})
			if err != nil || !slices.Contains(strings.Split(s.Is, ", "), str(says)) {
				t.Fatal(n, s, says, err)
			}
		}
	}
	if _, err := a.Changes(len(a.Variants)); err == nil {
		t.Error("a variant that is not there was changed to")
	}
}

func raw(t testing.TB, a any) string {
	t.Helper()
	b, err := json.Marshal(a)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

func str(v any) string { b, _ := json.Marshal(v); return string(b) }
