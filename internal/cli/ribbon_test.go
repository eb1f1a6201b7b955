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
		rows: [][]string{
			{"a-long-name-of-a-plan-with-words", "5 min 13 s", "88 %", "keep the trunk's archive and save it when changed"},
			{"b", "6 min", "1 %", "–"},
		},
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
}

// CSV holds numbers with their units in the header, every list of an answer as a table, and
// lists within lists with the names of what they are in.
func TestSheets(t *testing.T) {
	type figure struct {
		Mean float64 `json:"mean"`
		Runs int     `json:"runs"`
	}
	type group struct {
		Name   string   `json:"name"`
		LeadNs figure   `json:"leadNs"`
		Parts  []figure `json:"partsNs"`
		Words  []string `json:"words"`
	}
	v := struct {
		Currency string  `json:"currency"`
		PerMonth float64 `json:"costPerMonth"`
		Groups   []group `json:"groups"`
	}{"EUR", 12.5, []group{{"=a", figure{1.5e9, 8}, []figure{{2e9, 8}, {5e8, 8}}, []string{"x", "y"}}, {"b", figure{3e8, 8}, nil, nil}}}
	for name, want := range map[string]string{
		"":             "name,lead.mean [s],lead.runs,words\n'=a,1.5,8,x;y\nb,0.3,8,\n",
		"summary":      "currency,costPerMonth [EUR/month]\nEUR,12.5\n",
		"groups.parts": "groups.name,nr,mean [s],runs\n'=a,0,2,8\n'=a,1,0.5,8\n",
	} {
		p := plain(80)
		p.format, p.sheet = "csv", name
		if err := p.show(listing{value: v, main: "groups"}); err != nil || p.out.(*bytes.Buffer).String() != want {
			t.Errorf("%s: %q, %v; want %q", name, p.out, err, want)
		}
	}
	list := []struct {
		ID      int `json:"id"`
		Summary struct {
			Cost     float64 `json:"costPerMonth"`
			Currency string  `json:"currency"`
		} `json:"summary"`
		Took float64 `json:"carrySeconds"`
	}{{ID: 4, Took: 2.5}}
	list[0].Summary.Cost, list[0].Summary.Currency = 7, "EUR"
	p := plain(80)
	p.format = "csv"
	if err := p.show(listing{value: list}); err != nil ||
		p.out.(*bytes.Buffer).String() != "id,summary.costPerMonth [EUR/month],summary.currency,carrySeconds [s]\n4,7,EUR,2.5\n" {
		t.Errorf("%q, %v", p.out, err)
	}
	p = plain(80)
	p.format, p.sheet = "csv", "nothing"
	if err := p.show(listing{value: v}); err == nil || !strings.Contains(err.Error(), "expected one of summary, groups, groups.parts") {
		t.Error(err)
	}
}
