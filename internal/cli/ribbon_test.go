package cli

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf8"

	"tachyphor/core/sim"
)

func plain(width int) *program {
	out := &bytes.Buffer{}
	return &program{out: out, raw: out, err: &bytes.Buffer{}, term: terminal{width: width}, format: "table"}
}

// A bar is as long as its part of the whole, shows every phase that is there,
// and keeps their order.
func TestBarKeepsItsMeasure(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	p := plain(100)
	for range 2000 {
		phases := make([]float64, sim.Phases)
		total, there := 0.0, 0
		for i := range phases {
			if r.IntN(3) > 0 {
				phases[i] = r.ExpFloat64() * 1e9
				total += phases[i]
				there++
			}
		}
		if there == 0 {
			continue
		}
		whole := total * (1 + r.Float64())
		b := p.bar(phases, whole, 80)
		n := utf8.RuneCountInString(b)
		want := int(total/whole*80 + 0.5)
		if n < want && n < there || n > max(want, there) {
			t.Fatalf("%d marks for %.2f of 80, %d phases", n, total/whole, there)
		}
		last := -1
		for i := range phases {
			at := strings.Index(b, phaseMarks[i].mark)
			if (phases[i] > 0) != (at >= 0) {
				t.Fatalf("phase %d of %v in %q", i, phases[i], b)
			}
			if at >= 0 && at < last {
				t.Fatalf("phase %d out of order in %q", i, b)
			}
			last = max(last, at)
		}
	}
	if p.bar(make([]float64, sim.Phases), 0, 80) != "" {
		t.Error("a bar of nothing")
	}
}

// Every mark is another, so that bars can be read without colour.
func TestMarksDiffer(t *testing.T) {
	seen := map[string]bool{}
	for i, m := range phaseMarks {
		if seen[m.mark] || utf8.RuneCountInString(m.mark) != 1 {
			t.Errorf("mark %d, %q", i, m.mark)
		}
		seen[m.mark] = true
	}
}

func TestTablesAlignAndFit(t *testing.T) {
	p := plain(60)
	l := listing{columns: []column{{"name", false}, {"number", true}}, rows: [][]string{{"a", "1"}, {"longer name", "12,345"}}}
	want := "name         number\na                 1\nlonger name  12,345"
	if got := p.table(l); got != want {
		t.Errorf("table\n%q, want\n%q", got, want)
	}
	l.rows = append(l.rows, []string{strings.Repeat("x", 200), "1"})
	for line := range strings.Lines(p.table(l)) {
		if utf8.RuneCountInString(strings.TrimRight(line, "\n")) > 60 {
			t.Errorf("too wide: %q", line)
		}
	}
	// What has no room beside the others goes on below, with the first column once more;
	// nothing is lost.
	wide := listing{
		columns: []column{{"plan", false}, {"lead time", true}, {"fresh", true}, {"what to do", false}},
		rows:    [][]string{{"a-long-name-of-a-plan-with-words", "5 min 13 s", "88 %", "keep the trunk's archive and save it when changed"}, {"b", "6 min", "1 %", "–"}},
	}
	want = `plan                               lead time  fresh
a-long-name-of-a-plan-with-words  5 min 13 s   88 %
b                                      6 min    1 %

plan                              what to do
a-long-name-of-a-plan-with-words  keep the trunk's archive
                                  and save it when changed
b                                 –`
	if got := p.table(wide); got != want {
		t.Errorf("table\n%s\nwant\n%s", got, want)
	}
	p.format = "csv"
	if err := p.show(l); err != nil || !strings.HasPrefix(p.out.(*bytes.Buffer).String(), "name,number\na,1\nlonger name,\"12,345\"\n") {
		t.Errorf("csv %q, %v", p.out, err)
	}
}
