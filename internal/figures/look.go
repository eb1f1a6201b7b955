// Package figures draws what the core worked out, as PNG or SVG.
package figures

import (
	"fmt"
	"image/color"
	"io"
	"math"
	"path/filepath"
	"strconv"
	"strings"

	xfont "golang.org/x/image/font"
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"
)

// The light theme of the console.
var (
	paper  = color.RGBA{0xfb, 0xf9, 0xf4, 0xff}
	ground = color.RGBA{0xe2, 0xdc, 0xcd, 0xff}
	ink    = color.RGBA{0x1c, 0x2a, 0x33, 0xff}
	quiet  = color.RGBA{0x5b, 0x6b, 0x75, 0xff}
	green  = color.RGBA{0x14, 0x70, 0x5f, 0xff}
	pale   = color.RGBA{0xb9, 0xd5, 0xcc, 0xff}
	amber  = color.RGBA{0x8a, 0x5a, 0x00, 0xff}
	red    = color.RGBA{0xa3, 0x27, 0x2a, 0xff}
)

// Size of a figure: 1280 by 800 points of a screen.
const (
	dpi    = 96
	width  = 1280 * vg.Inch / dpi
	height = 800 * vg.Inch / dpi
)

// Formats are what a figure may be written as.
var Formats = []string{".png", ".svg"}

// FormatOf tells the format by a file's ending.
func FormatOf(file string) (string, error) {
	end := strings.ToLower(filepath.Ext(file))
	for _, f := range Formats {
		if f == end {
			return f, nil
		}
	}
	return "", fmt.Errorf("%q: a figure's file ends in %s", file, strings.Join(Formats, " or "))
}

// page draws into a canvas of the format and writes it.
func page(out io.Writer, format string, paint func(draw.Canvas) error) error {
	var c vg.CanvasSizer
	var write io.WriterTo
	if format == ".svg" {
		s := vgsvg.New(width, height)
		c, write = s, s
	} else {
		i := vgimg.PngCanvas{Canvas: vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(dpi))}
		c, write = i, i
	}
	dc := draw.New(c)
	dc.FillPolygon(paper, []vg.Point{{}, {X: width}, {X: width, Y: height}, {Y: height}})
	if err := paint(dc); err != nil {
		return err
	}
	_, err := write.WriteTo(out)
	return err
}

// letters is a style of text.
func letters(size vg.Length, c color.Color, bold bool) text.Style {
	f := font.Font{Typeface: "Liberation", Variant: "Sans", Size: size}
	if bold {
		f.Weight = xfont.WeightBold
	}
	return text.Style{Color: c, Font: f, Handler: plot.DefaultTextHandler, XAlign: draw.XLeft, YAlign: draw.YTop}
}

// wrapped breaks words into lines no wider than that.
func wrapped(style text.Style, words string, most vg.Length) []string {
	var lines []string
	for _, w := range strings.Fields(words) {
		if n := len(lines); n > 0 && style.Width(lines[n-1]+" "+w) <= most {
			lines[n-1] += " " + w
		} else {
			lines = append(lines, w)
		}
	}
	return lines
}

// panel is an empty plot in our look.
func panel(title, x, y string) *plot.Plot {
	p := plot.New()
	p.BackgroundColor = paper
	p.Title.Text, p.X.Label.Text, p.Y.Label.Text = title, x, y
	p.Title.TextStyle = letters(13, ink, true)
	p.Title.TextStyle.XAlign = draw.XCenter
	p.Title.Padding = 8
	for _, a := range []*plot.Axis{&p.X, &p.Y} {
		rotation, xa, ya := a.Tick.Label.Rotation, a.Tick.Label.XAlign, a.Tick.Label.YAlign
		a.Tick.Label = letters(10, ink, false)
		a.Tick.Label.Rotation, a.Tick.Label.XAlign, a.Tick.Label.YAlign = rotation, xa, ya
		rotation, xa, ya = a.Label.TextStyle.Rotation, a.Label.TextStyle.XAlign, a.Label.TextStyle.YAlign
		a.Label.TextStyle = letters(11, quiet, false)
		a.Label.TextStyle.Rotation, a.Label.TextStyle.XAlign, a.Label.TextStyle.YAlign = rotation, xa, ya
		a.LineStyle.Color, a.Tick.LineStyle.Color = quiet, quiet
		a.Padding = 0
		a.Tick.Marker = numbers{}
	}
	g := plotter.NewGrid()
	g.Horizontal = draw.LineStyle{Color: ground, Width: 0.6}
	g.Vertical.Width = 0
	p.Add(g)
	p.Legend.TextStyle.Font, p.Legend.TextStyle.Color = letters(10, ink, false).Font, ink
	p.Legend.Top, p.Legend.ThumbnailWidth = true, 18
	p.Legend.Padding = 3
	return p
}

// numbers marks an axis with plain numbers, as short as they can be.
type numbers struct{}

// Ticks places the marks.
func (numbers) Ticks(lo, hi float64) []plot.Tick {
	ticks := plot.DefaultTicks{}.Ticks(lo, hi)
	for i := range ticks {
		if !ticks[i].IsMinor() {
			ticks[i].Label = strconv.FormatFloat(math.Round(ticks[i].Value*1e6)/1e6, 'f', -1, 64)
		}
	}
	return ticks
}

// line draws points joined up and names them in the legend, where a name is given.
func line(p *plot.Plot, name string, xy plotter.XYs, c color.Color, w vg.Length, dashes ...vg.Length) {
	if len(xy) == 0 {
		return
	}
	l, err := plotter.NewLine(xy)
	if err != nil {
		return // of points that are not numbers
	}
	l.LineStyle = draw.LineStyle{Color: c, Width: w, Dashes: dashes}
	p.Add(l)
	if name != "" {
		p.Legend.Add(name, l)
	}
}

// area fills a polygon.
func area(p *plot.Plot, name string, xy plotter.XYs, c color.Color) {
	a, err := plotter.NewPolygon(xy)
	if err != nil {
		return
	}
	a.Color, a.LineStyle.Width = c, 0
	p.Add(a)
	if name != "" {
		p.Legend.Add(name, a)
	}
}
