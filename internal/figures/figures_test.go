package figures

import (
	"bytes"
	"encoding/xml"
	"image"
	_ "image/png"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"tachyphor/core/caching"
	"tachyphor/core/fleet"
	"tachyphor/core/review"
	"tachyphor/core/sizing"
	"tachyphor/core/stats"
	"tachyphor/core/weigh"
)

// A rect is a filled rectangle of a drawing.
type rect struct{ x, y, w, h float64 }

var numbersIn = regexp.MustCompile(`-?[0-9.]+`)

// drawing is what an SVG shows: filled rectangles by colour, and its words.
func drawing(t *testing.T, write func(io.Writer, string) error) (map[string][]rect, string) {
	t.Helper()
	var b bytes.Buffer
	if err := write(&b, ".svg"); err != nil {
		t.Fatal(err)
	}
	rects := map[string][]rect{}
	var words strings.Builder
	d := xml.NewDecoder(&b)
	for {
		token, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		switch x := token.(type) {
		case xml.CharData:
			words.Write(bytes.TrimSpace(x))
			words.WriteByte('\n')
		case xml.StartElement:
			attributes := map[string]string{}
			for _, a := range x.Attr {
				attributes[a.Name.Local] = a.Value
			}
			colour, filled := strings.CutPrefix(attributes["style"], "fill:")
			if x.Name.Local != "path" || !filled || strings.Contains(colour, "fill:none") {
				continue
			}
			colour, _, _ = strings.Cut(colour, ";")
			var xy []float64
			for _, n := range numbersIn.FindAllString(attributes["d"], -1) {
				v, err := strconv.ParseFloat(n, 64)
				if err != nil {
					t.Fatal(err)
				}
				xy = append(xy, v)
			}
			if len(xy) < 8 || strings.Contains(attributes["d"], "A") {
				continue
			}
			r := rect{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
			for i := 0; i+1 < len(xy); i += 2 {
				r.x, r.w = min(r.x, xy[i]), max(r.w, xy[i])
				r.y, r.h = min(r.y, xy[i+1]), max(r.h, xy[i+1])
			}
			r.w, r.h = r.w-r.x, r.h-r.y
			rects[colour] = append(rects[colour], r)
		}
	}
	return rects, words.String()
}

func seconds(x float64) stats.Figure { return stats.Figure{Mean: x * 1e9, Runs: 8} }

// weighed is a weighing of three plans, the last of which takes far longer.
func weighed() *weigh.Weighing {
	plan := func(key string, restore, cold, save float64, course ...float64) weigh.Weighed {
		return weigh.Weighed{Plan: weigh.Plan{Key: key}, Groups: []weigh.Fared{{
			Restore: seconds(restore), Cold: seconds(cold), Save: seconds(save),
			Pays: weigh.PaysOff{At: []int{1, 10, 100}, Course: course},
		}}}
	}
	along := func(q caching.Quantity, label string, today float64, values ...float64) weigh.Axis {
		return weigh.Axis{Quantity: q, Label: label, Today: today, Values: values}
	}
	plans := make([]weigh.SurfacePlan, 6)
	for i, key := range []string{"none", "every-all", "every-trunk", "changed-all", "changed-trunk", "daily-trunk"} {
		plans[i].Key = key
	}
	ns := make([][]float64, len(plans))
	for i := range ns {
		ns[i] = []float64{50e9, 50e9 - 1e9*float64(i), 50e9 - 2e9*float64(i), 50e9 - 3e9*float64(i)}
	}
	up := along(caching.OfUp, "upload", 10e6, 1e6, 10e6, 100e6, 1000e6)
	return &weigh.Weighing{
		Scenario: "yard", Best: "changed-trunk", Today: "none", Words: []string{"Have it saved when changed."},
		Plans: []weigh.Weighed{
			plan("none", 0, 50, 0, 0, 0, 0), plan("changed-trunk", 10, 15, 5, 20e9, -10e9, -2000e9), plan("volume", 700, 100, 0, 1e9, 1e9, 1e9),
			plan("baked", 0, 12, 0, 1e9, 1e9, 1e9),
		},
		Surface: &weigh.Surface{
			Class: "tide-charts", Plans: plans, Curves: []weigh.SurfaceCurve{{Axis: up, Ns: ns}},
			X: up, Y: along(caching.OfChange, "builds that change", 0.1, 0.01, 0.1, 1),
			Map: [][]int{{5, 5, 1, 1}, {4, 4, 4, 1}, {0, 0, 4, 1}},
		},
	}
}

func near(a, b float64) bool { return math.Abs(a-b) < 0.02*math.Abs(b)+0.02 }

// high are the rectangles at least that high: what is drawn without the marks of a key.
func high(list []rect, least float64) []rect {
	var out []rect
	for _, r := range list {
		if r.h >= least {
			out = append(out, r)
		}
	}
	return out
}

// Bars are as long as what they stand for, on one scale that a plan which takes far
// longer does not set; the map has a cell for each setting, in its plan's colour.
func TestWeighingIsDrawnToScale(t *testing.T) {
	o := weighed()
	o.Plans[3].Groups[0].Pull = seconds(8)
	rects, words := drawing(t, func(out io.Writer, format string) error { return Weighing(out, format, o) })
	none := high(rects["#8FC2B5"], 30)[0].w / 50 // a second
	for colour, want := range map[string][]float64{
		"#BEBE50": {10, 80 * 700. / 800},         // restoring
		"#8FC2B5": {50, 15, 80 * 100. / 800, 12}, // cold work
		"#78A03C": {5},                           // saving
	} {
		got := high(rects[colour], 30)
		if len(got) != len(want) {
			t.Fatalf("%s: %v", colour, got)
		}
		for i, r := range got {
			if !near(r.w, want[i]*none) {
				t.Errorf("%s is %v wide, want %v s of %v", colour, r.w, want[i], none)
			}
		}
	}
	if !slices.ContainsFunc(high(rects["#7A5C9E"], 30), func(r rect) bool { return near(r.w, 8*none) }) {
		t.Errorf("no bar for pulling: %v", rects["#7A5C9E"])
	}
	at := func(colour string, x, y int) bool {
		for _, r := range high(rects[colour], 30) {
			left, low := 561+float64(x)*96.25, 68+float64(y)*48.83
			if near(r.x, left) && near(r.y, low) && near(r.w, 96.25) {
				return true
			}
		}
		return false
	}
	colours := []string{"#E2DCCD", "#D9A441", "#B05F3C", "#8FB8D6", "#14705F", "#7A5C9E"}
	for y, row := range o.Surface.Map {
		for x, plan := range row {
			for i, c := range colours {
				if at(c, x, y) != (i == plan) {
					t.Errorf("cell %d, %d should be of plan %d", x, y, plan)
				}
			}
		}
	}
	for _, w := range []string{"… 13 min 20 s", "30 s", "today 10 MB/s", "→ upload; ↑ builds that change", "Have it saved"} {
		if !strings.Contains(words, w) {
			t.Errorf("%q is not written", w)
		}
	}
}

// advised is an advice whose nodes hold three agents today and five then.
func advised() *sizing.Advice {
	return &sizing.Advice{
		Template: "compile-wide", NodeType: "octo-32", Currency: "EUR", Allowed: 1.1,
		Node: fleet.Amounts{CPU: 32_000, Memory: 64 << 30}, Room: fleet.Amounts{CPU: 30_000, Memory: 60 << 30},
		Now: sizing.Point{
			CPU: 8_000, Memory: 8 << 30, Agents: 3, Pod: fleet.Amounts{CPU: 8_000, Memory: 8 << 30}, PerRun: 0.1,
			Expected: 1.01,
		},
		Best: sizing.Point{
			CPU: 6_000, Memory: 12 << 30, Agents: 5, Pod: fleet.Amounts{CPU: 6_000, Memory: 12 << 30}, PerRun: 0.06,
			Expected: 1.05,
		},
		Peaks: []sizing.Bin{
			{From: 0, To: 1 << 30, Runs: 10},
			{From: 1 << 30, To: 2 << 30, Runs: 40},
			{From: 7 << 30, To: 8 << 30, Runs: 25, Killed: 20},
		},
		Evidence: sizing.Evidence{Killed: 20}, NowLimit: sizing.Limits{Memory: 8 << 30},
		Memory: sizing.PeakAdvice{Trial: 12 << 30}, Words: []string{"Ask for less CPU and more memory."},
	}
}

// A node's lanes are drawn to scale: what is reserved, an agent's tile for each that
// fits, and what is left; peaks are as high as there are runs, killed ones on top.
func TestAdviceIsDrawnToScale(t *testing.T) {
	a := advised()
	rects, words := drawing(t, func(out io.Writer, format string) error { return Advice(out, format, a) })
	var tiles, bars []rect
	for _, r := range rects["#14705F"] {
		switch {
		case near(r.h, laneHigh):
			tiles = append(tiles, r)
		case r.h > 12:
			bars = append(bars, r)
		}
	}
	if len(tiles) != 2*3+2*5 {
		t.Fatalf("%d tiles: %v", len(tiles), tiles)
	}
	var reserved []rect
	for _, r := range rects["#E2DCCD"] {
		if near(r.h, laneHigh) {
			reserved = append(reserved, r)
		}
	}
	full := reserved[0].w / (2. / 32)
	for i, share := range []float64{2. / 32, 4. / 64, 2. / 32, 4. / 64} {
		if !near(reserved[i].w, share*full) {
			t.Errorf("reserved %v of %v", reserved[i].w, full)
		}
	}
	for i, r := range tiles {
		share := 8. / 32
		switch {
		case i >= 11:
			share = 12. / 64
		case i >= 6:
			share = 6. / 32
		case i >= 3:
			share = 8. / 64
		}
		if !near(r.w+1.2, share*full) {
			t.Errorf("tile %d is %v of %v", i, r.w, full)
		}
	}
	killed := high(rects["#A3272A"], 12)
	if len(bars) != 3 || len(killed) != 1 {
		t.Fatalf("%v, killed %v", bars, killed)
	}
	run := bars[1].h / 40
	if !near(bars[0].h, 10*run) || !near(bars[2].h, 5*run) || !near(killed[0].h, 20*run) || !near(killed[0].y, bars[2].y+bars[2].h) {
		t.Errorf("%v, killed %v", bars, killed)
	}
	for _, w := range []string{
		"today: 3 agents", "better: 5 agents", "limit today, 8 GiB", "to be tried, 12 GiB", "killed, needed more",
		"A full node of octo-32",
	} {
		if !strings.Contains(words, w) {
			t.Errorf("%q is not written", w)
		}
	}
}

// The price of an agent goes up in steps, each to the largest request of so many agents.
func TestStairs(t *testing.T) {
	got := stairs([]fleet.Step{
		{Agents: 1, CPU: 30_000, PerHour: 1.2},
		{Agents: 2, CPU: 15_000, PerHour: 0.6},
		{Agents: 3, CPU: 10_000, PerHour: 0.4},
	})
	want := []float64{0, 0.4, 10, 0.4, 10, 0.6, 15, 0.6, 15, 1.2, 30, 1.2}
	for i, p := range got {
		if p.X != want[2*i] || p.Y != want[2*i+1] {
			t.Errorf("corner %d is %v", i, p)
		}
	}
}

// Every figure is drawn as a picture of one size too, of nothing as well.
func TestPictures(t *testing.T) {
	for name, write := range map[string]func(io.Writer, string) error{
		"weighing": func(out io.Writer, format string) error { return Weighing(out, format, weighed()) },
		"advice":   func(out io.Writer, format string) error { return Advice(out, format, advised()) },
		"nothing": func(out io.Writer, format string) error {
			return Advice(out, format, &sizing.Advice{Words: []string{""}})
		},
		"fits": func(out io.Writer, format string) error {
			return Fits(out, format, review.Fits{Templates: []string{"a", "b", "c"}})
		},
	} {
		var b bytes.Buffer
		if err := write(&b, ".png"); err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		c, form, err := image.DecodeConfig(&b)
		if err != nil || form != "png" || c.Width != 1280 || c.Height != 800 {
			t.Errorf("%s: %v %s %+v", name, err, form, c)
		}
	}
	if _, err := FormatOf("x.jpg"); err == nil {
		t.Error("a format that there is not was taken")
	}
	if f, err := FormatOf("a/B.PNG"); err != nil || f != ".png" {
		t.Error(f, err)
	}
}
