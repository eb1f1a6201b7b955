package figures

import (
	"fmt"
	"image/color"
	"io"
	"math"

	"tachyphor/core/fleet"
	"tachyphor/core/sizing"
	"tachyphor/core/units"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Advice draws an advice: how peaks of memory are spread, CPU over the time of a run,
// stretch against cost, and a full node today and with the better requests.
func Advice(out io.Writer, format string, a *sizing.Advice) error {
	return page(out, format, func(c draw.Canvas) error {
		const head, margin = 70, 14
		title := a.Template
		if a.Class != "" {
			title += ", " + a.Class
		}
		c.FillText(letters(19, ink, true), vg.Point{X: margin, Y: height - margin}, title)
		style := letters(12, ink, false)
		for i, words := range wrapped(style, a.Words[0], width-2*margin) {
			c.FillText(style, vg.Point{X: margin, Y: height - margin - 25 - vg.Length(i)*15}, words)
		}
		quarter := func(col, row int) draw.Canvas {
			w, h := (width-3*margin)/2, (height-head-3*margin)/2
			x, y := margin+vg.Length(col)*(w+margin), margin+vg.Length(1-row)*(h+margin)
			return draw.Crop(c, x, x+w-width, y, y+h-height)
		}
		peaks(a).Draw(quarter(0, 0))
		overTime(a).Draw(quarter(1, 0))
		tradeOff(a).Draw(quarter(0, 1))
		nodes(quarter(1, 1), a)
		return nil
	})
}

func gib(b units.Bytes) float64 { return float64(b) / (1 << 30) }

// upright is a vertical line from the ground to a height.
func upright(x, to float64) plotter.XYs { return plotter.XYs{{X: x}, {X: x, Y: to}} }

func peaks(a *sizing.Advice) *plot.Plot {
	p := panel("Peak memory of a run", "GiB", "runs")
	most := 1
	for _, b := range a.Peaks {
		most = max(most, b.Runs)
	}
	top := 1.35 * float64(most)
	bar := func(b sizing.Bin, from, to int, c color.Color) {
		x0, x1 := gib(b.From), gib(b.From)+0.86*gib(b.To-b.From)
		area(p, "", plotter.XYs{{X: x0, Y: float64(from)}, {X: x1, Y: float64(from)}, {X: x1, Y: float64(to)}, {X: x0, Y: float64(to)}}, c)
	}
	for _, b := range a.Peaks {
		if b.Runs > b.Killed {
			bar(b, 0, b.Runs-b.Killed, green)
		}
		if b.Killed > 0 {
			bar(b, b.Runs-b.Killed, b.Runs, red)
		}
	}
	if a.Evidence.Killed > 0 {
		area(p, "killed, needed more", plotter.XYs{{}, {}, {}}, red)
	}
	if a.NowLimit.Memory > 0 {
		line(p, "limit today, "+a.NowLimit.Memory.Short(), upright(gib(a.NowLimit.Memory), top*0.8), ink, 1.5, 5, 3)
	}
	if a.Now.Memory > 0 && a.Now.Memory != a.NowLimit.Memory {
		line(p, "request today, "+a.Now.Memory.Short(), upright(gib(a.Now.Memory), top*0.8), quiet, 1.5, 2, 2)
	}
	switch m := a.Memory; {
	case m.Request > 0:
		line(p, fmt.Sprintf("%.4g %% stay below, %s", 100*m.Share, m.Bound.Short()), upright(gib(m.Bound), top*0.8), amber, 1.5)
		line(p, "request and limit, "+m.Request.Short(), upright(gib(m.Request), top*0.8), green, 2)
	case m.Trial == 0 && m.AtLeast > 0:
		line(p, "not less, "+m.AtLeast.Short(), upright(gib(m.AtLeast), top*0.8), green, 2)
	case m.Trial > 0:
		line(p, "to be tried, "+m.Trial.Short(), upright(gib(m.Trial), top*0.8), green, 2)
	}
	p.X.Min, p.Y.Min, p.Y.Max = 0, 0, top
	if n := len(a.Peaks); n > 0 {
		p.X.Max = gib(a.Peaks[n-1].To)
	}
	p.X.Max = max(p.X.Max, 1.05*gib(a.Best.Memory))
	p.Legend.Left = true
	return p
}

func overTime(a *sizing.Advice) *plot.Plot {
	p := panel("CPU in use over a run", "minutes since it began", "cores")
	r := a.Hours
	var band, mid, usual plotter.XYs
	most := a.Best.CPU.Cores()
	for i, x := range r.Minutes {
		band, mid = append(band, plotter.XY{X: x, Y: r.P90[i]}), append(mid, plotter.XY{X: x, Y: r.P50[i]})
		most = max(most, r.P90[i])
	}
	for i := len(r.Minutes) - 1; i >= 0; i-- {
		band = append(band, plotter.XY{X: r.Minutes[i], Y: r.P10[i]})
	}
	for i, y := range r.Usual {
		usual = append(usual, plotter.XY{X: r.Minutes[i], Y: y})
		most = max(most, y)
	}
	if len(band) == 0 {
		return p
	}
	area(p, "8 runs in 10", band, pale)
	line(p, "half of the runs", mid, green, 2)
	line(p, "one usual run", usual, ink, 1)
	end := r.Minutes[len(r.Minutes)-1]
	level := func(cores float64) plotter.XYs { return plotter.XYs{{X: 0, Y: cores}, {X: end, Y: cores}} }
	line(p, "request, "+a.Best.CPU.String(), level(a.Best.CPU.Cores()), amber, 1.5)
	if a.Now.CPU > 0 && a.Now.CPU != a.Best.CPU {
		line(p, "request today, "+a.Now.CPU.String(), level(a.Now.CPU.Cores()), quiet, 1.5, 5, 3)
		most = max(most, a.Now.CPU.Cores())
	}
	p.X.Min, p.X.Max, p.Y.Min, p.Y.Max = 0, end, 0, 1.5*most
	return p
}

func tradeOff(a *sizing.Advice) *plot.Plot {
	p := panel("What a request of CPU costs and stretches", a.Currency+" for 1,000 runs", "times as long, full node")
	var full plotter.XYs
	for _, x := range a.Curve {
		if x.Agents > 0 {
			full = append(full, plotter.XY{X: 1000 * x.PerRun, Y: x.Expected})
		}
	}
	line(p, "on a full node", full, green, 2)
	dots(p, full, green, 3)
	lo, hi, top := math.Inf(1), 0.0, a.Allowed
	for _, xy := range full {
		lo, hi, top = min(lo, xy.X), max(hi, xy.X), max(top, xy.Y)
	}
	if a.Now.Agents > 0 {
		now := plotter.XYs{{X: 1000 * a.Now.PerRun, Y: a.Now.Expected}}
		dots(p, now, ink, 5)
		label(p, now[0], "today, "+a.Now.CPU.String(), ink)
		lo, hi, top = min(lo, now[0].X), max(hi, now[0].X), max(top, now[0].Y)
	}
	best := plotter.XYs{{X: 1000 * a.Best.PerRun, Y: a.Best.Expected}}
	dots(p, best, amber, 5)
	label(p, best[0], "better, "+a.Best.CPU.String(), amber)
	span := max(hi-lo, hi*0.05)
	p.X.Min, p.X.Max = max(lo-0.08*span, 0), hi+0.22*span
	line(p, fmt.Sprintf("allowed, %.2f", a.Allowed), plotter.XYs{{X: p.X.Min, Y: a.Allowed}, {X: p.X.Max, Y: a.Allowed}}, quiet, 1, 5, 3)
	p.Y.Min, p.Y.Max = 0.98, max(top, 1.05)+0.12*(max(top, 1.05)-0.98)
	return p
}

func dots(p *plot.Plot, xy plotter.XYs, c color.Color, radius vg.Length) {
	s, err := plotter.NewScatter(xy)
	if err != nil {
		return
	}
	s.GlyphStyle = draw.GlyphStyle{Color: c, Radius: radius, Shape: draw.CircleGlyph{}}
	p.Add(s)
}

func label(p *plot.Plot, at plotter.XY, words string, c color.Color) {
	l, err := plotter.NewLabels(plotter.XYLabels{XYs: plotter.XYs{at}, Labels: []string{words}})
	if err != nil {
		return
	}
	l.TextStyle[0] = letters(11, c, true)
	l.TextStyle[0].YAlign = draw.YBottom
	l.Offset = vg.Point{X: 6, Y: 4}
	p.Add(l)
}

// nodes draws a full node today and with the better requests: for each resource a lane
// as long as the node has of it, agents as tiles, what is reserved grey and what is
// stranded hatched.
func nodes(c draw.Canvas, a *sizing.Advice) {
	top := c.Max.Y
	title := letters(13, ink, true)
	title.XAlign = draw.XCenter
	c.FillText(title, vg.Point{X: (c.Min.X + c.Max.X) / 2, Y: top}, "A full node of "+a.NodeType+", to scale")
	y := top - 30
	for _, x := range []struct {
		name string
		p    sizing.Point
	}{{"today", a.Now}, {"better", a.Best}} {
		head := fmt.Sprintf("%s: %d agents, %s %.3f an agent-hour", x.name, x.p.Agents, a.Currency, x.p.PerHour)
		if x.p.Agents == 0 {
			head = x.name + ": none fit"
		}
		c.FillText(letters(11, ink, true), vg.Point{X: c.Min.X + 8, Y: y}, head)
		y -= 18
		y = lanes(c, y, a, x.p)
		y -= 10
	}
	// what the marks mean
	x := c.Min.X + laneLeft
	for _, k := range []struct {
		name string
		fill func(draw.Canvas, vg.Rectangle)
	}{
		{"an agent", func(c draw.Canvas, r vg.Rectangle) { fill(c, r, green) }},
		{"stranded", hatch},
		{"system and DaemonSets", func(c draw.Canvas, r vg.Rectangle) { fill(c, r, ground) }},
	} {
		k.fill(c, vg.Rectangle{Min: vg.Point{X: x, Y: y - 11}, Max: vg.Point{X: x + 18, Y: y}})
		c.FillText(letters(10, ink, false), vg.Point{X: x + 23, Y: y + 1}, k.name)
		x += 23 + letters(10, ink, false).Width(k.name) + 18
	}
}

// laneLeft is where lanes begin, after their names; laneHigh is how high one is.
const (
	laneLeft = 108
	laneHigh = 20
)

// lanes draws the lanes of one node and returns where they end.
func lanes(c draw.Canvas, y vg.Length, a *sizing.Advice, p sizing.Point) vg.Length {
	full := c.Max.X - c.Min.X - laneLeft - 8
	of := func(x fleet.Amounts) []float64 {
		return []float64{float64(x.CPU), float64(x.Memory), float64(x.Disk)}
	}
	node, room, pod := of(a.Node), of(a.Room), of(p.Pod)
	names := []string{"CPU", "memory", "disk"}
	says := []string{a.Node.CPU.String() + " cores", a.Node.Memory.Short(), a.Node.Disk.Short()}
	for i, name := range names {
		if node[i] <= 0 {
			continue
		}
		c.FillText(letters(10, ink, false), vg.Point{X: c.Min.X + 8, Y: y - 4}, name+", "+says[i])
		at := c.Min.X + laneLeft
		long := func(x float64) vg.Length { return full * vg.Length(x/node[i]) }
		box := func(from, to vg.Length) vg.Rectangle {
			return vg.Rectangle{Min: vg.Point{X: from, Y: y - laneHigh}, Max: vg.Point{X: to, Y: y}}
		}
		reserved := long(node[i] - room[i])
		fill(c, box(at, at+reserved), ground)
		at += reserved
		for range p.Agents {
			w := long(pod[i])
			fill(c, box(at, at+max(w-1.2, 0.8)), green)
			at += w
		}
		end := c.Min.X + laneLeft + full
		if at < end-0.5 {
			hatch(c, box(at, end))
		}
		frame(c, box(c.Min.X+laneLeft, end))
		y -= laneHigh + 6
	}
	return y
}

func corners(r vg.Rectangle) []vg.Point {
	return []vg.Point{r.Min, {X: r.Max.X, Y: r.Min.Y}, r.Max, {X: r.Min.X, Y: r.Max.Y}}
}

func fill(c draw.Canvas, r vg.Rectangle, with color.Color) { c.FillPolygon(with, corners(r)) }

func frame(c draw.Canvas, r vg.Rectangle) {
	c.StrokeLines(draw.LineStyle{Color: quiet, Width: 0.8}, append(corners(r), r.Min))
}

// hatch fills a rectangle with slanting lines.
func hatch(c draw.Canvas, r vg.Rectangle) {
	fill(c, r, paper)
	style := draw.LineStyle{Color: amber, Width: 0.8}
	h := r.Max.Y - r.Min.Y
	for x := r.Min.X - h; x < r.Max.X; x += 6 {
		from, to := vg.Point{X: x, Y: r.Min.Y}, vg.Point{X: x + h, Y: r.Max.Y}
		if from.X < r.Min.X {
			from.Y += r.Min.X - from.X
			from.X = r.Min.X
		}
		if to.X > r.Max.X {
			to.Y -= to.X - r.Max.X
			to.X = r.Max.X
		}
		if from.X < to.X {
			c.StrokeLine2(style, from.X, from.Y, to.X, to.Y)
		}
	}
	frame(c, r)
}
