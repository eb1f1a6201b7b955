package sizing

import (
	"fmt"
	"strings"

	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// oldDays is the age in days from which on evidence is said to be old.
const oldDays = 30

// tell puts the advice into sentences.
func (a *Advice) tell(own corev1.Container, here *arena, now float64) {
	b, n := a.Best, a.Now
	var cpu []string
	cpu = append(cpu, fmt.Sprintf("Runs use %.2g cores on average and at most %.2g over a minute.", here.mean, here.most))
	if a.Met {
		cpu = append(cpu, fmt.Sprintf("With %s of CPU %d agents go on a node of %s; when all are at work, work takes %s times as "+
			"long%s, and %s with nothing but the request. It is the cheapest that stays within %s.",
			b.CPU, b.Agents, a.NodeType, ratioText(b.Expected), slowest(b), ratioText(b.Guaranteed), ratioText(a.Allowed)))
	} else {
		cpu = append(cpu, fmt.Sprintf("No request keeps within %s on a full node of %s; %s stretches least, to %s%s.", ratioText(a.Allowed),
			a.NodeType, b.CPU, ratioText(b.Expected), slowest(b)))
	}
	if next := a.cheaper(); next != nil {
		cpu = append(cpu, fmt.Sprintf("%s would be %.0f %% cheaper and takes %s times as long%s.", next.CPU, 100*(1-next.PerRun/b.PerRun),
			ratioText(next.Expected), slowest(*next)))
	}
	if _, limited := own.Resources.Limits[corev1.ResourceCPU]; limited {
		cpu = append(cpu, "The limit of CPU goes: it holds work up even when the node is idle, and the request alone keeps neighbours apart.")
	} else {
		cpu = append(cpu, "No limit of CPU: it would hold work up even when the node is idle, and the request alone keeps neighbours apart.")
	}
	if a.Evidence.Slowed > 0 {
		cpu = append(cpu, fmt.Sprintf("%s of the runs were throttled; what they would have used without is not seen, so these "+
			"figures are low.", units.Count(int64(a.Evidence.Slowed))))
	}
	if a.Evidence.Interval > 0 {
		cpu = append(cpu, fmt.Sprintf("CPU was seen every %.3g s; bursts shorter than that stretch more than is told.", a.Evidence.Interval))
	}
	a.CPU = cpu
	a.Words = []string{a.headline(n, b)}
	if age := (now - a.Evidence.To) / 86400; age > oldDays {
		a.Words = append(a.Words, fmt.Sprintf("The newest run is %.0f days old; what was built since may need more or less.", age))
	}
	a.Note = a.note()
}

// slowest names the class that a point holds up most, where it is held up more than
// the others.
func slowest(p Point) string {
	if p.SlowClass == "" || p.Slow < p.Expected+0.005 {
		return ""
	}
	return fmt.Sprintf(" (%s %s)", p.SlowClass, ratioText(p.Slow))
}

// cheaper is the next request that costs less than the best, by stretching more than
// is allowed; nil where none does.
func (a *Advice) cheaper() *Point {
	for i, p := range a.Curve {
		if p.CPU < a.Best.CPU && p.Agents > 0 && p.PerRun < 0.98*a.Best.PerRun {
			return &a.Curve[i]
		}
	}
	return nil
}

// headline is the advice in one sentence.
func (a *Advice) headline(n, b Point) string {
	says := fmt.Sprintf("Request %s of CPU and %s of memory", b.CPU, b.Memory.Short())
	if n.CPU == b.CPU && n.Memory == b.Memory {
		return fmt.Sprintf("Today's %s of CPU and %s of memory are right.", n.CPU, n.Memory.Short())
	}
	says += fmt.Sprintf(" instead of %s and %s", n.CPU, n.Memory.Short())
	if n.Agents == 0 {
		return says + fmt.Sprintf(": %d on %s instead of none.", b.Agents, a.NodeType)
	}
	change := 1 - b.PerRun/n.PerRun
	switch {
	case change > 0.005:
		says += fmt.Sprintf(": %d on %s instead of %d, %.0f %% less for a run", b.Agents, a.NodeType, n.Agents, 100*change)
	case change < -0.005:
		says += fmt.Sprintf(": %d on %s instead of %d, %.0f %% more for a run", b.Agents, a.NodeType, n.Agents, -100*change)
	default:
		says += fmt.Sprintf(": %d on %s as before, for the same money", b.Agents, a.NodeType)
	}
	if a.Evidence.Killed > 0 && b.Memory > n.Memory {
		says += fmt.Sprintf(", and without most of the kills (%.1f %% of runs today)", 100*float64(a.Evidence.Killed)/float64(a.Evidence.Runs))
	}
	return says + "."
}

func ratioText(x float64) string { return fmt.Sprintf("%.2f", x) }

// note is the evidence in one line.
func (a *Advice) note() string {
	var parts []string
	parts = append(parts, fmt.Sprintf("%s runs", units.Count(int64(a.Evidence.Runs))))
	switch m := a.Memory; {
	case m.Request > 0:
		parts = append(parts, fmt.Sprintf("%s below %s memory with %s confidence", percent(m.Share), m.Bound.Short(), percent(m.Sure)))
		if m.Roomy > 0 {
			parts = append(parts, fmt.Sprintf("%s costs no more", m.Roomy.Short()))
		}
	case m.Trial > 0:
		parts = append(parts, fmt.Sprintf("%d killed for memory at %s, %s is a trial", m.Killed, m.Least.Short(), m.Trial.Short()))
	case a.Best.Memory != a.Now.Memory:
		parts = append(parts, fmt.Sprintf("too few for memory, %d more are needed; %s was seen", m.Needs-m.Counted, m.AtLeast.Short()))
	default:
		parts = append(parts, "too few for memory, left as it was")
	}
	parts = append(parts, fmt.Sprintf("%s CPU stretches %s on a full %s", a.Best.CPU, ratioText(a.Best.Expected), a.NodeType))
	if a.Disk.Request > 0 {
		parts = append(parts, fmt.Sprintf("%s below %s disk", percent(a.Disk.Share), a.Disk.Bound.Short()))
	}
	return strings.Join(parts, "; ")
}

// above says how one amount lies beside another.
func above(ratio float64) string {
	if ratio < 1 {
		return fmt.Sprintf("%.0f %% below", 100*(1-ratio))
	}
	return fmt.Sprintf("%.0f %% above", 100*(ratio-1))
}
