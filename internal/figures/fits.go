package figures

import (
	"fmt"
	"image/color"
	"io"

	"tachyphor/core/fleet"
	"tachyphor/core/review"

	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// mostCurves bounds how many templates one figure of fits holds.
const mostCurves = 6

// shades tell the pools of a figure apart, together with their dashes.
var shades = []color.Color{green, amber, ink, red, quiet}

var dashings = [][]vg.Length{nil, {6, 3}, {2, 2}, {8, 2, 2, 2}}

// Fits draws, for each template, the price of an agent-hour against its request of
// CPU on each pool, with its steps and today's request.
func Fits(out io.Writer, format string, f review.Fits) error {
	names := f.Templates[:min(len(f.Templates), mostCurves)]
	return page(out, format, func(c draw.Canvas) error {
		const head, margin = 40, 14
		c.FillText(letters(19, ink, true), vg.Point{X: margin, Y: height - margin}, "What an agent-hour costs, by its request of CPU")
		cols := 1
		for cols*cols < len(names) {
			cols++
		}
		rows := (len(names) + cols - 1) / cols
		w, h := (width-vg.Length(cols+1)*margin)/vg.Length(cols), (height-head-vg.Length(rows+1)*margin)/vg.Length(rows)
		for i, name := range names {
			x, y := margin+vg.Length(i%cols)*(w+margin), margin+vg.Length(rows-1-i/cols)*(h+margin)
			curves(f, name).Draw(draw.Crop(c, x, x+w-width, y, y+h-height))
		}
		return nil
	})
}

// curves draws the steps of one template.
func curves(f review.Fits, name string) plotDrawer {
	p := panel(name, "CPU requested, cores", f.Currency+" an agent-hour")
	p.Legend.Left = true
	shown, top, widest := 0, 0.0, 0.0
	for _, x := range f.Fits {
		if x.Template != name || len(x.Steps) == 0 || x.Agents == 0 {
			continue
		}
		shade, dash := shades[shown%len(shades)], dashings[shown%len(dashings)]
		shown++
		line(p, fmt.Sprintf("%s (%s), %d on a node", x.Pool, x.NodeType, x.Agents), stairs(x.Steps), shade, 1.8, dash...)
		for _, s := range x.Steps {
			top, widest = max(top, s.PerHour), max(widest, s.CPU.Cores())
		}
		if x.PerHour > 0 {
			at := plotter.XY{X: x.CPU.Cores(), Y: x.PerHour}
			dots(p, plotter.XYs{at}, shade, 5)
		}
		p.X.Max = max(1, atMost*x.CPU.Cores())
	}
	p.X.Min, p.Y.Min = 0, 0
	p.X.Max, p.Y.Max = min(p.X.Max, widest), 1.3*top
	return p
}

// atMost is how many times today's request is shown.
const atMost = 2.5

// stairs are the corners of the steps: up to the largest request for which so many
// agents fit the price is that of one of them.
func stairs(steps []fleet.Step) plotter.XYs {
	var out plotter.XYs
	from := 0.0
	for i := len(steps) - 1; i >= 0; i-- {
		s := steps[i]
		out = append(out, plotter.XY{X: from, Y: s.PerHour}, plotter.XY{X: s.CPU.Cores(), Y: s.PerHour})
		from = s.CPU.Cores()
	}
	return out
}

// plotDrawer is a plot that can be drawn.
type plotDrawer interface{ Draw(draw.Canvas) }
