package outcome_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// The console's words are written from here: names of phases and uses as TypeScript, and
// how numbers are written as cases that its own functions are held against.
func TestWordsOfTheConsole(t *testing.T) {
	var ts bytes.Buffer
	ts.WriteString("// Written by core/outcome/console_test.go with -update; do not edit.\n\n")
	write := func(doc, name string, v any, as string) {
		b, err := json.MarshalIndent(v, "", "  ")
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&ts, "/** %s */\nexport const %s%s;\n\n", doc, name+" = "+string(b), as)
	}
	delay := 0
	for p := range sim.Phases {
		if sim.Phase(p) < sim.Restore {
			delay++
		}
	}
	meanings, uses := map[string]string{}, map[string]string{}
	for p, name := range sim.PhaseNames {
		meanings[name] = outcome.PhaseMeanings[p]
	}
	for u, name := range sim.UseNames {
		uses[name] = outcome.UseMeanings[u]
	}
	write("The phases of a job, in their order.", "phases", sim.PhaseNames, " as const")
	write("How many of the phases come before a job's own first step.", "delayPhases", delay, "")
	write("What a job waits for, or does, in each phase.", "phaseMeaning: Record<string, string>", meanings, "")
	write("What node time goes to.", "useNames: Record<string, string>", uses, "")
	write("How a job can end, as rows say it.", "results", sim.ResultNames, "")
	golden(t, "../../web/src/words.gen.ts", ts.Bytes())

	type cases struct {
		Durations [][2]any `json:"durations"`
		Bytes     [][2]any `json:"bytes"`
		Money     [][2]any `json:"money"`
		Weeks     [][2]any `json:"weeks"`
	}
	var c cases
	for _, ns := range []int64{
		0, 1, 999, 1_500, 999_000, 999_999, 1_000_000, 9_400_000, 9_500_000, 99_499_999, 999_499_999, 999_500_000, 1_000_000_000, 1_004_999_999,
		5_250_000_000, 9_994_999_999, 9_995_000_000, 10_049_000_000, 59_900_000_000, 99_949_000_000, 99_950_000_000, 100_000_000_000,
		107_000_000_000, 119_500_000_000, 300_000_000_000, 3_599_499_000_000, 3_599_500_000_000, 3_600_000_000_000, 7_229_000_000_000,
		359_999_000_000_000, 360_000_000_000_000, 1_000_000_000_000_000, -45_200_000_000, -4_000_000_000_000, -150,
	} {
		c.Durations = append(c.Durations, [2]any{ns, units.Duration(ns).Short()})
	}
	for _, n := range []int64{0, 1, 1023, 1024, 1536, 10 << 10, 99 << 20, 102_400_000, 1 << 30, 1_610_612_736, 15 << 30, 1 << 40, 3 << 50} {
		c.Bytes = append(c.Bytes, [2]any{n, units.Bytes(n).Short()})
	}
	for _, n := range []float64{0, 0.0004, 0.05, 0.099, 0.11, 1, 12.345, 99.994, 123.456, 999.99, 1000, 3086.4, 1_234_567.8, -126.25} {
		c.Money = append(c.Money, [2]any{n, units.Amount(n).Short("EUR")})
	}
	for _, s := range []string{
		"Mon-Fri 07:00-19:00", "Sat,Sun 00:00-24:00", "Mon 22:00-06:00", "Sun 22:00-06:00", "Fri-Mon 12:00-12:00", "Mon,Wed-Thu 23:59-00:01", "Tue 00:00-00:00",
		"", "Mon", "mon 07:00-19:00", "Mon 7:00-19:00", "Mon-Fri 24:00-25:00", "Mon-Fri 24:00-01:00", "Mon-Fri 07:00-24:01", "Mon-Fri 07:60-09:00", "Mon- 07:00-08:00",
		"Mon-Fri  07:00-19:00", "Mon-Tue-Wed 07:00-19:00", "Mon,Mon 07:00-19:00", ",Mon 07:00-19:00", "Mon-Fri 07:00-19:00 ", "Sun-Sat 01:00-02:00",
	} {
		c.Weeks = append(c.Weeks, [2]any{s, covered(s)})
	}
	b, err := json.MarshalIndent(c, "", "  ")
	if err != nil {
		t.Fatal(err)
	}
	golden(t, "../../web/words.golden.json", append(b, '\n'))
}

// covered is which minutes of the week a period covers, as stretches from one to another; null: it is none.
func covered(s string) any {
	p, err := units.ParsePeriod(s)
	if err != nil {
		return nil
	}
	out := []string{}
	for m := 0; m < units.WeekMinutes; {
		if !p.Covers(m) {
			m++
			continue
		}
		from := m
		for m < units.WeekMinutes && p.Covers(m) {
			m++
		}
		out = append(out, fmt.Sprintf("%d-%d", from, m))
	}
	return strings.Join(out, " ")
}

// golden holds content against a file, or writes it there with -update.
func golden(t *testing.T, file string, content []byte) {
	t.Helper()
	if *update {
		if err := os.WriteFile(file, content, 0o600); err != nil {
			t.Fatal(err)
		}
		return
	}
	if had, err := os.ReadFile(file); err != nil || !bytes.Equal(had, content) {
		t.Errorf("%s is not what is written now (%v); write it with -update", file, err)
	}
}
