package world

import (
	"slices"
	"strconv"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Lay numbers the images' layers; an image without any is one of its own.
func (w *World) Lay() {
	at := map[string]int32{}
	for i := range w.Images {
		image := &w.Images[i]
		layers := image.Layers
		if len(layers) == 0 {
			layers = []document.Layer{{Name: "\x00" + strconv.Itoa(i), Size: image.Size}}
		}
		var of []int32
		var size units.Bytes
		for _, l := range layers {
			n, known := at[l.Name]
			if !known {
				n = int32(len(w.Layers))
				at[l.Name] = n
				w.Layers = append(w.Layers, l.Size)
			}
			if !slices.Contains(of, n) {
				of = append(of, n)
				size += l.Size
			}
		}
		w.LayersOf = append(w.LayersOf, of)
		w.MakeTimes, w.ImageKeys = append(w.MakeTimes, image.MakeTime.Dist()), append(w.ImageKeys, chance.Name(image.Name))
		image.Size = size
	}
}

// ImageNames are the images that agents are made of, by container of every template.
func (w *World) ImageNames() []string {
	out := []string{}
	for _, t := range w.Templates {
		out = append(out, t.Agent.Images...)
	}
	return out
}
