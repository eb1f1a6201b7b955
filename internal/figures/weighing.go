package figures

import (
	"image/color"
	"io"
	"math"

	"tachyphor/core/units"
	"tachyphor/core/weigh"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Colours of the phases that a workspace takes, as in the ribbon.
var (
	pullColour    = color.RGBA{0x7a, 0x5c, 0x9e, 0xff}
	restoreColour = color.RGBA{0xbe, 0xbe, 0x50, 0xff}
	coldColour    = color.RGBA{0x8f, 0xc2, 0xb5, 0xff}
	saveColour    = color.RGBA{0x78, 0xa0, 0x3c, 0xff}
)

// mapShades tell the plans of a map apart.
var mapShades = []color.RGBA{
	{0xe2, 0xdc, 0xcd, 0xff},
	{0xd9, 0xa4, 0x41, 0xff},
	{0xb0, 0x5f, 0x3c, 0xff},
	{0x8f, 0xb8, 0xd6, 0xff},
	{0x14, 0x70, 0x5f, 0xff},
	{0x7a, 0x5c, 0x9e, 0xff},
}

// Weighing draws an answer: what the workspace takes of a build under each plan, when
// each has paid, and where another plan would be better.
func Weighing(out io.Writer, format string, o *weigh.Weighing) error {
	return page(out, format, func(c draw.Canvas) error {
		const margin = 14
		c.FillText(letters(19, ink, true), vg.Point{X: margin, Y: height - margin}, o.Scenario)
		style := letters(12, ink, false)
		y := height - 42
		for _, line := range wrapped(style, o.Words[0], width-2*margin) {
			c.FillText(style, vg.Point{X: margin, Y: y}, line)
			y -= 15
		}
		half := (width - 3*margin) / 2
		top := y - 10
		mid := top/2 + 6
		c.FillText(letters(13, ink, true), vg.Point{X: margin, Y: top}, "What the workspace takes of a build")
		bars(draw.Crop(c, margin, margin+half-width, mid, top-22-height), o)
		course(o).Draw(draw.Crop(c, 2*margin+half, -margin, mid, top-height))
		if o.Surface != nil {
			curveOf(o.Surface).Draw(draw.Crop(c, margin, margin+half-width, margin, mid-margin-height))
			if err := terrain(draw.Crop(c, 2*margin+half, -margin, margin, mid-margin-height), o.Surface); err != nil {
				return err
			}
		}
		return nil
	})
}

// bars draws restoring, cold work and saving of each plan as one bar.
func bars(c draw.Canvas, o *weigh.Weighing) {
	n := len(o.Plans)
	none := &o.Plans[0].Groups[0]
	scale := 1.6 * none.Cold.Mean
	label := letters(10, ink, false)
	names, values := vg.Length(0), label.Width("23 h 24 min")+14
	for i := range o.Plans {
		names = max(names, label.Width(o.Plans[i].Key)+12)
	}
	key := vg.Length(22)
	each := (c.Max.Y - c.Min.Y - key) / vg.Length(n)
	room := c.Max.X - c.Min.X - names - values
	unknown := false
	for i := range o.Plans {
		p := &o.Plans[i]
		f := &p.Groups[0]
		y := c.Max.Y - vg.Length(i)*each
		style := label
		if p.Key == o.Best {
			style = letters(10, amber, true)
		}
		c.FillText(style, vg.Point{X: c.Min.X, Y: y - each/2 + 6}, p.Key)
		x := c.Min.X + names
		total := f.Carried()
		shown := math.Min(total, scale)
		for _, part := range []struct {
			ns     float64
			colour color.Color
		}{{math.Max(f.Pull.Mean, 0), pullColour}, {f.Restore.Mean, restoreColour}, {f.Cold.Mean, coldColour}, {f.Save.Mean, saveColour}} {
			w := room * vg.Length(part.ns/math.Max(total, 1)*shown/scale)
			box(c, x, y-each+3, w, each-6, part.colour)
			x += w
		}
		text := units.Duration(total).Short()
		if total > scale {
			text = "… " + text
		}
		if len(p.Missing) > 0 {
			text, unknown = text+" ?", true
		}
		c.FillText(label, vg.Point{X: x + 6, Y: y - each/2 + 6}, text)
	}
	x := c.Min.X + names
	for _, k := range []struct {
		name   string
		colour color.Color
	}{{"pulling what is baked", pullColour}, {"restoring", restoreColour}, {"cold work", coldColour}, {"saving", saveColour}} {
		box(c, x, c.Min.Y+4, 18, 10, k.colour)
		c.FillText(label, vg.Point{X: x + 24, Y: c.Min.Y + 15}, k.name)
		x += label.Width(k.name) + 44
	}
	if unknown {
		c.FillText(label, vg.Point{X: c.Min.X, Y: c.Min.Y + 15}, "? facts are missing")
	}
}

// box fills a rectangle.
func box(c draw.Canvas, x, y, w, h vg.Length, colour color.Color) {
	if w <= 0 {
		return
	}
	c.FillPolygon(colour, []vg.Point{{X: x, Y: y}, {X: x + w, Y: y}, {X: x + w, Y: y + h}, {X: x, Y: y + h}})
}

// courses are the plans whose course is drawn: today's, the best, and the naive ones.
func courses(o *weigh.Weighing) []*weigh.Weighed {
	var out []*weigh.Weighed
	for i := range o.Plans {
		switch p := &o.Plans[i]; p.Key {
		case o.Today, o.Best, "every-all", "every-trunk", "changed-trunk", "node-disk":
			if p.Key != weigh.None {
				out = append(out, p)
			}
		}
	}
	return out
}

// course draws what a build has taken on average so far beside no cache, build by build.
func course(o *weigh.Weighing) *plot.Plot {
	p := panel("A build on average so far, against no cache: below 0 it has paid", "builds so far", "seconds")
	p.X.Scale, p.X.Tick.Marker = plot.LogScale{}, plot.LogTicks{Prec: -1}
	low := 0.0
	for i, x := range courses(o) {
		var xy plotter.XYs
		pays := x.Groups[0].Pays
		for k, at := range pays.At {
			y := pays.Course[k] / float64(at) / float64(units.Second)
			low = min(low, y)
			xy = append(xy, plotter.XY{X: float64(at), Y: y})
		}
		w := vg.Length(1.6)
		if x.Key == o.Best {
			w = 2.6
		}
		line(p, x.Key, xy, shades[i%len(shades)], w, dashings[i%len(dashings)]...)
	}
	line(p, "", plotter.XYs{{X: p.X.Min, Y: 0}, {X: p.X.Max, Y: 0}}, quiet, 1)
	p.Y.Min, p.Y.Max = 1.15*low, math.Min(p.Y.Max, math.Max(-2.5*low, 10))
	return p
}

// curveOf draws what a build takes along the quantity of the map's x.
func curveOf(s *weigh.Surface) *plot.Plot {
	var c weigh.SurfaceCurve
	for _, x := range s.Curves {
		if x.Quantity == s.X.Quantity {
			c = x
		}
	}
	p := panel(s.Class+": what the workspace takes of a build", c.Label+" (today "+weigh.Amount(c.Quantity, c.Today)+")", "seconds")
	p.X.Scale, p.X.Tick.Marker = plot.LogScale{}, amounts{c}
	top := 0.0
	for i := range s.Plans {
		var xy plotter.XYs
		for k, v := range c.Values {
			xy = append(xy, plotter.XY{X: v, Y: c.Ns[i][k] / 1e9})
		}
		line(p, s.Plans[i].Key, xy, mapInk(i), 2)
		if i == 0 {
			top = 2.2 * xy[0].Y
		}
	}
	p.Y.Min, p.Y.Max = 0, top
	if c.Today > 0 {
		line(p, "", plotter.XYs{{X: c.Today, Y: 0}, {X: c.Today, Y: top}}, quiet, 1, 3, 3)
	}
	return p
}

// mapInk is a plan's colour where it is drawn as a line.
func mapInk(i int) color.Color {
	if i == 0 {
		return ink
	}
	return mapShades[i%len(mapShades)]
}

// amounts marks an axis with amounts of a quantity.
type amounts struct{ c weigh.SurfaceCurve }

// Ticks places the marks: every other value.
func (a amounts) Ticks(_, _ float64) []plot.Tick {
	var out []plot.Tick
	for i, v := range a.c.Values {
		t := plot.Tick{Value: v}
		if i%2 == 0 {
			t.Label = weigh.Amount(a.c.Quantity, v)
		}
		out = append(out, t)
	}
	return out
}

// terrain draws the map of the best plan, with today's point.
func terrain(c draw.Canvas, s *weigh.Surface) error {
	title := letters(13, ink, true)
	c.FillText(title, vg.Point{X: c.Min.X, Y: c.Max.Y - 2}, s.Class+": the plan that takes a build the least")
	small, label := letters(9.5, ink, false), letters(10, quiet, false)
	left, bottom, head := vg.Length(74), vg.Length(54), vg.Length(44)
	w, h := c.Max.X-c.Min.X-left, c.Max.Y-c.Min.Y-bottom-head
	cols, rows := len(s.X.Values), len(s.Y.Values)
	cw, ch := w/vg.Length(cols), h/vg.Length(rows)
	used := map[int]bool{}
	for y, row := range s.Map {
		for x, plan := range row {
			used[plan] = true
			box(c, c.Min.X+left+vg.Length(x)*cw, c.Min.Y+bottom+vg.Length(y)*ch, cw+0.3, ch+0.3, mapShades[plan%len(mapShades)])
		}
	}
	for x := 0; x < cols; x += 3 {
		c.FillText(small, vg.Point{X: c.Min.X + left + vg.Length(x)*cw, Y: c.Min.Y + bottom - 4}, weigh.Amount(s.X.Quantity, s.X.Values[x]))
	}
	for y := 0; y < rows; y += 2 {
		c.FillText(small, vg.Point{X: c.Min.X, Y: c.Min.Y + bottom + (vg.Length(y)+0.5)*ch + 5}, weigh.Amount(s.Y.Quantity, s.Y.Values[y]))
	}
	c.FillText(label, vg.Point{X: c.Min.X + left, Y: c.Min.Y + bottom - 18}, "→ "+s.X.Label+"; ↑ "+s.Y.Label)
	place := func(list []float64, at float64) float64 { // along the axis, in cells
		n := len(list)
		return math.Log(at/list[0])/math.Log(list[n-1]/list[0])*float64(n-1) + 0.5
	}
	if s.X.Today > 0 && s.Y.Today > 0 {
		x, y := c.Min.X+left+cw*vg.Length(place(s.X.Values, s.X.Today)), c.Min.Y+bottom+ch*vg.Length(place(s.Y.Values, s.Y.Today))
		c.DrawGlyph(draw.GlyphStyle{Color: paper, Radius: 8, Shape: draw.CircleGlyph{}}, vg.Point{X: x, Y: y})
		c.DrawGlyph(draw.GlyphStyle{Color: ink, Radius: 5, Shape: draw.CircleGlyph{}}, vg.Point{X: x, Y: y})
		c.FillText(letters(10, paper, true), vg.Point{X: x + 11, Y: y + 6}, "today")
	}
	x := c.Min.X + left
	for i, p := range s.Plans {
		if !used[i] {
			continue
		}
		box(c, x, c.Min.Y+6, 14, 10, mapShades[i%len(mapShades)])
		c.FillText(small, vg.Point{X: x + 18, Y: c.Min.Y + 17}, p.Key)
		x += small.Width(p.Key) + 34
	}
	return nil
}
