package cli

import (
	"fmt"
	"math"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// phaseMarks draw the phases, in order: a block that can be told apart without
// colour, and a colour of the console's palette (24 bit).
var phaseMarks = [sim.Phases]struct {
	mark    string
	r, g, b int
}{
	{"░", 178, 170, 153},
	{"▒", 214, 143, 36},
	{"▓", 167, 84, 44},
	{"▚", 122, 92, 158},
	{"▞", 76, 114, 176},
	{"▘", 86, 170, 205},
	{"▤", 190, 190, 80},
	{"█", 31, 122, 104},
	{"▥", 120, 160, 60},
	{"▁", 130, 150, 150},
}

func (p *program) mark(phase int, n int) string {
	m := phaseMarks[phase]
	s := strings.Repeat(m.mark, n)
	if p.term.colour {
		return fmt.Sprintf("\x1b[38;2;%d;%d;%dm%s\x1b[0m", m.r, m.g, m.b, s)
	}
	return s
}

// bar draws phases of a job as a bar; whole is what the full width stands for.
// Every phase that is there gets a mark at least, taken from the longest.
func (p *program) bar(phases []float64, whole float64, width int) string {
	if !(whole > 0) {
		return ""
	}
	total := 0.0
	for _, x := range phases {
		total += x
	}
	cells := max(int(math.Round(total/whole*float64(width))), 1)
	n := make([]int, len(phases))
	used, longest := 0, 0
	for i, x := range phases {
		if x > 0 {
			n[i] = max(1, int(math.Round(x/total*float64(cells))))
		}
		used += n[i]
		if n[i] > n[longest] {
			longest = i
		}
	}
	n[longest] = max(1, n[longest]+cells-used)
	var b strings.Builder
	for i := range phases {
		if n[i] > 0 {
			b.WriteString(p.mark(i, n[i]))
		}
	}
	return b.String()
}

// legend names the phases that are there, with their times, broken into lines.
func (p *program) legend(phases []float64) string {
	var lines []string
	line, length := "", 0
	for i, x := range phases {
		if x < 1 {
			continue
		}
		words := sim.PhaseNames[i] + " " + units.Duration(x).Short()
		if length+len(words)+4 > p.term.width && line != "" {
			lines = append(lines, line)
			line, length = "", 0
		}
		line += p.mark(i, 1) + " " + words + "   "
		length += len(words) + 5
	}
	return strings.Join(append(lines, strings.TrimRight(line, " ")), "\n")
}
