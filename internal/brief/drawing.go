package brief

import (
	"cmp"
	"fmt"
	"html"
	"math"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/explore"
	"tachyphor/core/outcome"
	"tachyphor/core/units"
	"tachyphor/core/weigh"

	"gonum.org/v1/plot"
)

// A canvas is an SVG drawing whose colours are the page's, light or dark.
type canvas struct {
	b             strings.Builder
	width, height float64
}

// Size of a drawing, and room for its axes, in its own units.
const (
	wide   = 900.0
	left   = 84.0
	right  = 16.0
	top    = 14.0
	bottom = 44.0
)

func newCanvas(height float64, says string) *canvas {
	c := &canvas{width: wide, height: height}
	fmt.Fprintf(&c.b, `<svg viewBox="0 0 %g %g" role="img" aria-label="%s" xmlns="http://www.w3.org/2000/svg">`, wide, height, html.EscapeString(says))
	return c
}

func (c *canvas) svg() string { return c.b.String() + "</svg>" }

func (c *canvas) rect(class string, x, y, w, h float64) {
	fmt.Fprintf(&c.b, `<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, class, x, y, math.Max(0, w), math.Max(0, h))
}

func (c *canvas) line(class string, x1, y1, x2, y2 float64) {
	fmt.Fprintf(&c.b, `<path class="%s" d="M%.1f %.1fL%.1f %.1f"/>`, class, x1, y1, x2, y2)
}

func (c *canvas) path(class string, points [][2]float64) {
	if len(points) == 0 {
		return
	}
	fmt.Fprintf(&c.b, `<path class="%s" d="M`, class)
	for i, p := range points {
		if i > 0 {
			c.b.WriteString("L")
		}
		fmt.Fprintf(&c.b, "%.1f %.1f", p[0], p[1])
	}
	c.b.WriteString(`"/>`)
}

func (c *canvas) dot(class string, x, y, r float64) {
	fmt.Fprintf(&c.b, `<circle class="%s" cx="%.1f" cy="%.1f" r="%.1f"/>`, class, x, y, r)
}

// text writes words; anchor is start, middle or end.
func (c *canvas) text(class, anchor string, x, y float64, words string) {
	fmt.Fprintf(&c.b, `<text class="%s" text-anchor="%s" x="%.1f" y="%.1f">%s</text>`, class, anchor, x, y, html.EscapeString(words))
}

// A scale maps values to places.
type scale struct{ from, to, at, end float64 }

func (s scale) of(x float64) float64 {
	if s.to == s.from {
		return (s.at + s.end) / 2
	}
	return s.at + (x-s.from)/(s.to-s.from)*(s.end-s.at)
}

// spread is a scale over values with some room on both sides.
func spread(list []float64, at, end float64) scale {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, x := range list {
		lo, hi = math.Min(lo, x), math.Max(hi, x)
	}
	room := 0.05 * (hi - lo)
	if room == 0 {
		room = math.Max(1, 0.05*math.Abs(hi))
	}
	return scale{lo - room, hi + room, at, end}
}

// axis draws an axis with what its ticks are called.
func (c *canvas) axis(s scale, upright bool, say func(float64) string) {
	for _, t := range (plot.DefaultTicks{}).Ticks(s.from, s.to) {
		if t.IsMinor() || t.Value < s.from || t.Value > s.to {
			continue
		}
		at := s.of(t.Value)
		if upright {
			c.line("grid", left, at, c.width-right, at)
			c.text("tick", "end", left-8, at+4, say(t.Value))
		} else {
			c.line("grid", at, top, at, c.height-bottom)
			c.text("tick", "middle", at, c.height-bottom+16, say(t.Value))
		}
	}
}

// frontier draws the variants by a month's bill and start delay.
func frontier(a *explore.Answer) Picture {
	says := fmt.Sprintf("%d variants by what a month costs and within what 95 %% of jobs start", len(a.Variants))
	c := newCanvas(380, says)
	var bills, delays []float64
	for _, v := range a.Variants {
		bills, delays = append(bills, v.Bill.Mean), append(delays, v.Delay.Mean)
	}
	x, y := spread(bills, left, wide-right), spread(delays, c.height-bottom, top)
	y.from = math.Max(0, y.from)
	for _, k := range a.Aims {
		switch {
		case k.Axis == "bill" && k.At < x.to:
			at := x.of(math.Max(k.At, x.from))
			c.rect("missed-area", at, top, wide-right-at, c.height-bottom-top)
			c.text("note", "start", at+4, top+14, k.Says)
		case k.Axis == "delay" && k.At < y.to:
			at := y.of(math.Max(k.At, y.from))
			c.rect("missed-area", left, top, wide-right-left, at-top)
			c.text("note", "start", left+4, at-5, k.Says)
		}
	}
	money := money(a.Currency)
	c.axis(x, false, money)
	c.axis(y, true, times)
	var edge []int
	for i, v := range a.Variants {
		if v.Frontier {
			edge = append(edge, i)
		}
	}
	slices.SortFunc(edge, func(i, j int) int { return cmp.Compare(a.Variants[i].Bill.Mean, a.Variants[j].Bill.Mean) })
	var steps [][2]float64 // what a little more buys is known at the next only
	for k, i := range edge {
		at := [2]float64{x.of(a.Variants[i].Bill.Mean), y.of(a.Variants[i].Delay.Mean)}
		if k > 0 {
			steps = append(steps, [2]float64{at[0], steps[len(steps)-1][1]})
		}
		steps = append(steps, at)
	}
	c.path("edge", steps)
	for i, v := range a.Variants {
		class := "kept"
		for _, r := range v.Aims {
			if r.Verdict == aim.Missed {
				class = "missed"
				break
			}
			if r.Verdict == aim.Undecided {
				class = "open"
			}
		}
		if i != 0 && i != a.Best {
			c.dot(class, x.of(v.Bill.Mean), y.of(v.Delay.Mean), 3)
		}
	}
	named := func(i int, class, name string) {
		v := a.Variants[i]
		at, up := x.of(v.Bill.Mean), y.of(v.Delay.Mean)
		c.dot(class, at, up, 6)
		c.text("name", "middle", at, up-11, name)
	}
	named(0, "today", "today")
	if a.Best > 0 {
		named(a.Best, "best", "recommended")
	}
	c.text("tick", "start", left, c.height-8, "a month's bill; upwards: 95 % start within")
	for i, k := range [][2]string{{"kept", "keeps all aims"}, {"open", "not decided"}, {"missed", "misses one"}} {
		at := wide - right - 450 + 115*float64(i)
		c.dot(k[0], at, c.height-12, 4)
		c.text("tick", "start", at+9, c.height-8, k[1])
	}
	at := wide - right - 105.0
	c.line("edge", at, c.height-12, at+16, c.height-12)
	c.text("tick", "start", at+21, c.height-8, "the frontier")
	return Picture{"The variants", says, c.svg()}
}

// ribbons draws what a job's time is made of, a ribbon for each outcome.
func ribbons(list []*outcome.Outcome) Picture {
	says := "the mean job's time by phase, until its work begins"
	const each, keys = 34.0, 26.0
	c := newCanvas(each*float64(len(list))+keys+8, says)
	phases := list[0].Phases
	before := len(phases) // those before the work
	for i, p := range phases {
		if p == "work" {
			before = i
		}
	}
	most := 1.0
	sum := func(o *outcome.Outcome) (total float64) {
		for i := range before {
			total += math.Max(0, o.Groups[0].Ribbon[i].Mean)
		}
		return total
	}
	for _, o := range list {
		most = math.Max(most, sum(o))
	}
	const names = 190.0
	room := wide - names - 90
	for k, o := range list {
		y := 4 + each*float64(k)
		c.text("name", "end", names-10, y+17, o.Scenario)
		x := names
		for i := range before {
			w := room * math.Max(0, o.Groups[0].Ribbon[i].Mean) / most
			c.rect("phase-"+phases[i], x, y, w, 22)
			x += w
		}
		c.text("tick", "start", x+8, y+16, times(sum(o)))
	}
	x := names
	for i := range before {
		c.rect("phase-"+phases[i], x, c.height-18, 12, 12)
		c.text("tick", "start", x+17, c.height-8, phases[i])
		x += 34 + 7*float64(len(phases[i]))
	}
	return Picture{"Where the time goes before work begins", says, c.svg()}
}

// overTime draws waiting jobs, agents and nodes.
func overTime(o *outcome.Outcome) Picture {
	says := "jobs that wait, agents and nodes over time, means over the repeats"
	l := &o.Lines
	total := func(list []outcome.NamedLine) []float64 {
		out := make([]float64, len(l.Waiting))
		for _, x := range list {
			for i := range min(len(out), len(x.Values)) {
				out[i] += x.Values[i]
			}
		}
		return out
	}
	rows := []struct {
		name, class string
		values      []float64
	}{{"waiting jobs", "line-waiting", l.Waiting}, {"agents", "line-agents", total(l.Agents)}, {"nodes", "line-nodes", total(l.Nodes)}}
	const each = 96.0
	c := newCanvas(each*float64(len(rows))+28, says)
	span := float64(l.BinNs) * float64(len(l.Waiting))
	for k, r := range rows {
		base := each * float64(k+1)
		y := scale{0, 1, base, base - each + 22}
		for _, v := range r.values {
			y.to = math.Max(y.to, 1.05*v)
		}
		c.line("grid", left, base, wide-right, base)
		c.text("tick", "end", left-8, base+4, "0")
		c.text("tick", "end", left-8, y.end+4, fmt.Sprintf("%.3g", y.to))
		c.text("name", "start", left+4, y.end+2, r.name)
		points := make([][2]float64, len(r.values))
		for i, v := range r.values {
			points[i] = [2]float64{left + (wide-left-right)*(float64(i)+0.5)/float64(len(r.values)), y.of(v)}
		}
		c.path(r.class, points)
	}
	every, unit, name := 30*units.Day, units.Day, "d"
	for _, x := range []units.Duration{units.Minute, 10 * units.Minute, units.Hour, 6 * units.Hour, units.Day, 7 * units.Day} {
		if span/float64(x) <= 10 {
			every = x
			break
		}
	}
	if every < units.Day {
		if unit, name = units.Hour, "h"; every < units.Hour {
			unit, name = units.Minute, "min"
		}
	}
	for at := units.Duration(0); float64(at) <= span; at += every {
		c.text("tick", "middle", left+(wide-left-right)*float64(at)/span, c.height-8, fmt.Sprintf("%d %s", at/unit, name))
	}
	return Picture{"Over time", says, c.svg()}
}

// carried draws what the workspace takes of a build under each plan.
func carried(o *weigh.Weighing) Picture {
	says := "what the workspace takes of a build under each plan: restoring, cold work, saving"
	const each, names, keys = 30.0, 230.0, 26.0
	c := newCanvas(each*float64(len(o.Plans))+keys+8, says)
	most := 1.0
	for i := range o.Plans {
		if t := o.Plans[i].Groups[0].Carried(); t < 4*o.Plans[0].Groups[0].Cold.Mean {
			most = math.Max(most, t)
		}
	}
	room := wide - names - 100
	for i := range o.Plans {
		p := &o.Plans[i]
		f, y, x := &p.Groups[0], 4+each*float64(i), names
		class := "name"
		if p.Key != o.Best {
			class = "tick"
		}
		c.text(class, "end", names-10, y+15, p.Label)
		for _, part := range []struct {
			class string
			ns    float64
		}{{"phase-image", f.Pull.Mean}, {"phase-restore", f.Restore.Mean}, {"cold", f.Cold.Mean}, {"phase-save", f.Save.Mean}} {
			w := math.Min(room*math.Max(0, part.ns)/most, names+room-x)
			c.rect(part.class, x, y, w, 20)
			x += w
		}
		c.text("tick", "start", x+8, y+15, times(f.Carried()))
	}
	x := names
	for _, k := range [][2]string{{"phase-restore", "restoring"}, {"cold", "cold work"}, {"phase-save", "saving"}, {"phase-image", "pulling what is baked"}} {
		c.rect(k[0], x, c.height-18, 12, 12)
		c.text("tick", "start", x+17, c.height-8, k[1])
		x += 34 + 7*float64(len(k[1]))
	}
	return Picture{"What the workspace takes of a build", says, c.svg()}
}
