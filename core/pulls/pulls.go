// Package pulls says what images cost a design: how often nodes pull which layers, which several images share,
// what would be spared if a layer weighed nothing, if an image were lighter, and if nodes had the images before
// agents need them; each on the same jobs and draws.
package pulls

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Lighter asks for an image of another size.
type Lighter struct {
	Name string      `json:"name" maxLength:"255" doc:"The image as the cluster names it, or a template whose agent's image is meant."`
	Size units.Bytes `json:"size" doc:"Its size, compressed."`
}

// Spared is what would change.
type Spared struct {
	Mean stats.Figure `json:"meanNs" doc:"By how much the mean start delay would change; below 0: jobs start sooner."`
	P95  stats.Figure `json:"p95Ns" doc:"By how much its 95th percentile would."`
	Cost stats.Figure `json:"costPerMonth" doc:"By how much a month's bill would; below 0: it is less."`
	GB   stats.Figure `json:"gb" doc:"By how much what images bring in would, GB in a repeat."`
	// Wrong is told beside the delays of those that start.
	Wrong stats.Figure `json:"wrong" doc:"By how many jobs more would go wrong for good, as those do that never start."`
}

// Common is what two images have in common.
type Common struct {
	With string      `json:"with" doc:"The other image."`
	Size units.Bytes `json:"size" doc:"Bytes of the layers that both have, compressed."`
}

// An ImageCost is one that agents are made of.
type ImageCost struct {
	Name      string       `json:"name" doc:"Image reference."`
	Templates []string     `json:"templates" doc:"Templates that it is for."`
	Size      units.Bytes  `json:"size" doc:"All of its layers, compressed."`
	Own       units.Bytes  `json:"own" doc:"Those that no other image of the cluster has."`
	Shared    []Common     `json:"shared" doc:"What it has in common with others, most first."`
	Pulls     stats.Figure `json:"pulls" doc:"How often a node pulled it, or what of it was missing, in a repeat."`
}

// A LayerCost is a part of images.
type LayerCost struct {
	Name   string       `json:"name" doc:"Name of the layer; of an image whose layers are not known, the image."`
	Size   units.Bytes  `json:"size" doc:"Compressed."`
	Images []string     `json:"images" doc:"Images of the scenario that have it."`
	Pulls  stats.Figure `json:"pulls" doc:"How often a node pulled it, in a repeat."`
	GB     stats.Figure `json:"gb" doc:"What that came to."`
	Spared *Spared      `json:"spared,omitempty" doc:"If it weighed nothing; absent where that was not tried."`
}

// An ImageWay is another way for images to be.
type ImageWay struct {
	What   string `json:"what" doc:"What would be otherwise."`
	Spared Spared `json:"spared" doc:"What would change."`
}

// Costs are what images cost a design.
type Costs struct {
	Scenario string       `json:"scenario" doc:"Name of the scenario."`
	Currency string       `json:"currency" doc:"Currency of the bill."`
	Repeats  int          `json:"repeats" doc:"Repeats that each was tried with, on the same draws."`
	Mean     stats.Figure `json:"meanNs" doc:"Mean start delay as it is."`
	Image    stats.Figure `json:"imageNs" doc:"The part of it that jobs wait for images."`
	Cost     stats.Figure `json:"costPerMonth" doc:"A month's bill as it is."`
	GB       stats.Figure `json:"gb" doc:"What images bring in, GB in a repeat."`
	Images   []ImageCost  `json:"images" doc:"Images that agents are made of, the one that is most pulled first."`
	Layers   []LayerCost  `json:"layers" doc:"Their layers, those first that most would be spared of."`
	Ways     []ImageWay   `json:"ways" doc:"Images on nodes before agents need them, and those of other sizes that were asked for."`
}

const (
	// mostRepeats is how many repeats each world is tried with at most, mostLayers how many layers.
	mostRepeats = 4
	mostLayers  = 6
	// MostLighter is how many other sizes may be asked for at once.
	MostLighter = 8
)

// A Question is a scenario, and what is tried of its images.
type Question struct {
	base    *world.World
	lighter []Lighter
	images  []int // that each of them means
}

// Ask reads which images are to be of other sizes.
func Ask(w *world.World, lighter []Lighter) (*Question, error) {
	if len(lighter) > MostLighter {
		return nil, fmt.Errorf("%d sizes are asked for; expected at most %d", len(lighter), MostLighter)
	}
	q := &Question{base: w, lighter: lighter}
	for _, l := range lighter {
		at, err := imageOf(w, l.Name)
		if err != nil {
			return nil, err
		}
		if l.Size < 0 {
			return nil, fmt.Errorf("image %s: size %d is below 0", l.Name, l.Size)
		}
		q.images = append(q.images, at)
	}
	return q, nil
}

// imageOf finds an image by its reference, or by a template: the image of its agent's container.
func imageOf(w *world.World, name string) (int, error) {
	if at := slices.IndexFunc(w.Images, func(i document.Image) bool { return i.Name == name }); at >= 0 {
		return at, nil
	}
	var names []string
	for i := range w.Templates {
		t := &w.Templates[i]
		if t.Name == name && len(t.ImageAt) > 0 {
			return int(t.ImageAt[t.Own]), nil
		}
		names = append(names, t.Name)
	}
	for _, i := range w.Used() {
		names = append(names, w.Images[i].Name)
	}
	return 0, fmt.Errorf("no image or template is called %s; the names are %s", name, strings.Join(names, ", "))
}

// reading is what is read of a run.
type reading struct {
	mean, image, p95, cost, gb, wrong float64
	layers, images                    []float64
}

// Need is how much memory trying takes with so many workers, about.
func (q *Question) Need(workers int) units.Bytes { return outcome.Need(q.base, workers) }

// Try runs the scenario as it is and in every other way.
func (q *Question) Try(workers int, progress paired.Progress) (*Costs, error) {
	w := q.base
	layers := q.candidates()
	worlds := []*world.World{w}
	for _, l := range layers {
		worlds = append(worlds, w.WithoutLayer(l))
	}
	var ways []string
	way := func(what string, x *world.World) {
		ways, worlds = append(ways, what), append(worlds, x)
	}
	way("pulled by a pod on every node as soon as it is ready", w.Prepulled(false))
	way("part of what nodes boot from", w.Prepulled(true))
	for i, l := range q.lighter {
		was := w.Images[q.images[i]].Size
		way(fmt.Sprintf("%s of %s instead of %s", Short(w.Images[q.images[i]].Name), units.Decimal(float64(l.Size)), units.Decimal(float64(was))), w.WithImage(q.images[i], l.Size))
	}
	repeats := min(mostRepeats, w.Plan.Repeats)
	study := paired.Study[reading]{
		Worlds: worlds, Draws: paired.Draws(repeats, 0), Workers: workers, Progress: progress,
		Read: func(_, d int, t *sim.Trace) (reading, error) { return read(t, outcome.Measure(t, d)), nil },
	}
	all, err := study.Run()
	if err != nil {
		return nil, err
	}
	base := all[0]
	fig := func(of func(*reading) float64) stats.Figure { return stats.Of(values(base, of)) }
	out := &Costs{
		Scenario: w.Scenario, Currency: w.Currency, Repeats: repeats,
		Mean: fig(func(r *reading) float64 { return r.mean }), Image: fig(func(r *reading) float64 { return r.image }),
		Cost: fig(func(r *reading) float64 { return r.cost }), GB: fig(func(r *reading) float64 { return r.gb }),
		Images: q.imagesOf(base), Layers: q.layersOf(base), Ways: []ImageWay{},
	}
	order := q.layers()
	for i, l := range layers {
		out.Layers[slices.Index(order, l)].Spared = new(spared(base, all[1+i]))
	}
	slices.SortStableFunc(out.Layers, func(a, b LayerCost) int {
		return cmp.Or(cmp.Compare(sooner(a), sooner(b)), cmp.Compare(b.GB.Mean, a.GB.Mean))
	})
	for i, what := range ways {
		out.Ways = append(out.Ways, ImageWay{what, spared(base, all[1+len(layers)+i])})
	}
	return out, nil
}

func sooner(l LayerCost) float64 {
	if l.Spared == nil {
		return 0
	}
	return l.Spared.Mean.Mean
}

// read takes off a run what images cost it.
func read(t *sim.Trace, s outcome.Sample) reading {
	w := t.World
	all := &s.Groups[0]
	monthly := float64(units.Month) / float64(w.Plan.Span-w.Plan.Warmup)
	r := reading{
		mean: all.Delay.Mean, p95: float64(all.Delay.P95), image: all.RibbonNs[sim.Image].Over(all.Ended),
		wrong: float64(all.Jobs - all.Results[sim.Succeeded]),
		cost:  float64(s.Cost.TotalNano.Float() * monthly / 1e9),
	}
	for l, n := range t.LayerPulls {
		r.layers = append(r.layers, float64(n))
		r.gb += float64(float64(n) * float64(w.Layers[l]) / 1e9)
	}
	for _, n := range t.ImagePulls {
		r.images = append(r.images, float64(n))
	}
	return r
}

func values(list []reading, of func(*reading) float64) []float64 {
	out := make([]float64, len(list))
	for i := range list {
		out[i] = of(&list[i])
	}
	return out
}

func spared(base, other []reading) Spared {
	diff := func(of func(*reading) float64) stats.Figure { return stats.Paired(values(base, of), values(other, of)) }
	return Spared{
		Mean: diff(func(r *reading) float64 { return r.mean }), P95: diff(func(r *reading) float64 { return r.p95 }),
		Cost: diff(func(r *reading) float64 { return r.cost }), GB: diff(func(r *reading) float64 { return r.gb }),
		Wrong: diff(func(r *reading) float64 { return r.wrong }),
	}
}

// candidates are the largest layers of the images that agents are made of.
func (q *Question) candidates() []int32 {
	list := q.layers()
	slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(q.base.Layers[b], q.base.Layers[a]) })
	return list[:min(len(list), mostLayers)]
}

// layers are those of the images that agents are made of, each once.
func (q *Question) layers() (out []int32) {
	for _, i := range q.base.Used() {
		for _, l := range q.base.LayersOf[i] {
			if !slices.Contains(out, l) {
				out = append(out, l)
			}
		}
	}
	return out
}

// layerName is a layer's name, or that of the image whose layers are not known.
func (q *Question) layerName(layer int32) string {
	for _, i := range q.base.Sharers(layer) {
		image := &q.base.Images[i]
		if len(image.Layers) == 0 {
			return image.Name
		}
		seen := []string{}
		for _, l := range image.Layers {
			if slices.Contains(seen, l.Name) {
				continue
			}
			if len(seen) == slices.Index(q.base.LayersOf[i], layer) {
				return l.Name
			}
			seen = append(seen, l.Name)
		}
	}
	return ""
}

// layersOf tells layers in the order of layers.
func (q *Question) layersOf(base []reading) []LayerCost {
	w, used := q.base, q.base.Used()
	out := []LayerCost{}
	for _, l := range q.layers() {
		x := LayerCost{Name: q.layerName(l), Size: w.Layers[l], Images: []string{}}
		for _, i := range w.Sharers(l) {
			if slices.Contains(used, i) {
				x.Images = append(x.Images, w.Images[i].Name)
			}
		}
		x.Pulls = stats.Of(values(base, func(r *reading) float64 { return r.layers[l] }))
		x.GB = stats.Of(values(base, func(r *reading) float64 { return float64(r.layers[l] * float64(w.Layers[l]) / 1e9) }))
		out = append(out, x)
	}
	return out
}

func (q *Question) imagesOf(base []reading) []ImageCost {
	w := q.base
	out := []ImageCost{}
	for _, i := range w.Used() {
		x := ImageCost{Name: w.Images[i].Name, Size: w.Images[i].Size, Templates: []string{}, Shared: []Common{}}
		for _, t := range w.Full().Templates {
			if slices.Contains(t.ImageAt, i) && !slices.Contains(x.Templates, t.Name) {
				x.Templates = append(x.Templates, t.Name)
			}
		}
		with := map[int32]units.Bytes{}
		for _, l := range w.LayersOf[i] {
			others := w.Sharers(l)
			if len(others) == 1 {
				x.Own += w.Layers[l]
			}
			for _, o := range others {
				if o != i {
					with[o] += w.Layers[l]
				}
			}
		}
		for o, size := range with {
			x.Shared = append(x.Shared, Common{w.Images[o].Name, size})
		}
		slices.SortFunc(x.Shared, func(a, b Common) int { return cmp.Or(cmp.Compare(b.Size, a.Size), strings.Compare(a.With, b.With)) })
		x.Pulls = stats.Of(values(base, func(r *reading) float64 { return r.images[i] }))
		out = append(out, x)
	}
	slices.SortStableFunc(out, func(a, b ImageCost) int {
		return cmp.Compare(b.Pulls.Mean*float64(b.Size), a.Pulls.Mean*float64(a.Size))
	})
	return out
}

// Short is an image's reference without where it comes from.
func Short(name string) string { return name[strings.LastIndexByte(name, '/')+1:] }
