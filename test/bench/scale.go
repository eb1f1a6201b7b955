package main

import (
	"fmt"
	"image/color"
	"os"
	"runtime"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
)

// scale measures how time grows with jobs on 40 nodes, and with nodes for 200,000
// jobs, and may draw it.
func scale(picture string, most int) error {
	var byJobs, byNodes plotter.XYs
	fmt.Println("growth: an agent for each job, placed among all the nodes")
	for jobs := 10_000; jobs <= most; jobs *= 10 {
		t, n, err := once(worlds.Sized, jobs, 40)
		if err != nil {
			return err
		}
		fmt.Printf("  %9d jobs on   40 nodes  %8.3f s  %6.0f ns a job\n", n, t, t/float64(n)*1e9)
		byJobs = append(byJobs, plotter.XY{X: float64(n), Y: t / float64(n) * 1e6})
	}
	for _, nodes := range []int{10, 20, 50, 100, 200, 500, 1000, 2000} {
		t, n, err := once(worlds.Sized, 200_000, nodes)
		if err != nil {
			return err
		}
		fmt.Printf("  %9d jobs on %4d nodes  %8.3f s  %6.0f ns a job\n", n, nodes, t, t/float64(n)*1e9)
		byNodes = append(byNodes, plotter.XY{X: float64(nodes), Y: t / float64(n) * 1e6})
	}
	t, n, err := once(worlds.Overloaded, 200_000, 40)
	if err != nil {
		return err
	}
	fmt.Printf("  %9d jobs on   40 nodes  %8.3f s  %6.0f ns a job, half more than they can do: at the end a third of the pods wait\n", n, t, t/float64(n)*1e9)
	if picture == "" {
		return nil
	}
	return drawn(picture, byJobs, byNodes)
}

// once runs a world and returns the engine's time in seconds, the median of three.
func once(of func(jobs, nodes int) (*world.World, error), jobs, nodes int) (seconds float64, n int, err error) {
	w, err := of(jobs, nodes)
	if err != nil {
		return 0, 0, err
	}
	list, err := w.Jobs(1, 0)
	if err != nil {
		return 0, 0, err
	}
	var times []float64
	for range tries(jobs) {
		runtime.GC()
		began := time.Now()
		if _, err := sim.RunJobs(w, list, 1, 0, nil); err != nil {
			return 0, 0, err
		}
		times = append(times, time.Since(began).Seconds())
	}
	return median(times), len(list.List), nil
}

// tries is how often a run is measured.
func tries(jobs int) int {
	if jobs > 1_000_000 {
		return 1
	}
	return 3
}

// drawn draws both curves side by side, with the slope that would be linear.
func drawn(path string, byJobs, byNodes plotter.XYs) error {
	left, err := panel("jobs, on 40 nodes", "µs a job", byJobs, false)
	if err != nil {
		return err
	}
	right, err := panel("nodes, for 200,000 jobs", "µs a job", byNodes, true)
	if err != nil {
		return err
	}
	canvas := vgimg.NewWith(vgimg.UseWH(vg.Points(720), vg.Points(300)), vgimg.UseDPI(110),
		vgimg.UseBackgroundColor(color.RGBA{251, 249, 244, 255}))
	tiles := draw.Tiles{
		Rows: 1, Cols: 2, PadX: vg.Points(28), PadTop: vg.Points(14), PadBottom: vg.Points(8), PadLeft: vg.Points(10),
		PadRight: vg.Points(16),
	}
	for i, c := range plot.Align([][]*plot.Plot{{left, right}}, tiles, draw.New(canvas))[0] {
		[]*plot.Plot{left, right}[i].Draw(c)
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	_, err = vgimg.PngCanvas{Canvas: canvas}.WriteTo(f)
	if e := f.Close(); err == nil {
		err = e
	}
	return err
}

func panel(x, y string, points plotter.XYs, linear bool) (*plot.Plot, error) {
	p := plot.New()
	p.BackgroundColor = color.RGBA{251, 249, 244, 255}
	p.X.Label.Text, p.Y.Label.Text = x, y
	p.X.Scale, p.Y.Scale = plot.LogScale{}, plot.LogScale{}
	p.X.Tick.Marker, p.Y.Tick.Marker = plot.LogTicks{Prec: -1}, plot.LogTicks{Prec: -1}
	for _, a := range []*plot.Axis{&p.X, &p.Y} {
		a.Label.TextStyle.Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: vg.Points(12)}
		a.Tick.Label.Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: vg.Points(10)}
		a.Padding = vg.Points(4)
	}
	line, dots, err := plotter.NewLinePoints(points)
	if err != nil {
		return nil, err
	}
	ink := color.RGBA{31, 122, 104, 255}
	line.Color, line.Width, dots.Color, dots.Shape = ink, vg.Points(1.6), ink, draw.CircleGlyph{}
	p.Add(plotter.NewGrid(), line, dots)
	if linear {
		first, last := points[0], points[len(points)-1]
		slope, err := plotter.NewLine(plotter.XYs{first, {X: last.X, Y: first.Y * last.X / first.X}})
		if err != nil {
			return nil, err
		}
		slope.Color, slope.Dashes = color.RGBA{180, 71, 58, 255}, []vg.Length{vg.Points(4), vg.Points(3)}
		p.Add(slope)
		p.Legend.Add("linear in the nodes", slope)
		p.Legend.Add("measured", line)
		p.Legend.Top, p.Legend.Left = true, true
		p.Legend.TextStyle.Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: vg.Points(11)}
		p.Legend.YOffs, p.Legend.XOffs, p.Legend.Padding = vg.Points(-6), vg.Points(6), vg.Points(3)
	}
	p.Y.Min, p.Y.Max = 1, max(100, p.Y.Max)
	return p, nil
}
