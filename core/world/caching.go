package world

import (
	"cmp"
	"fmt"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A workspace can be part of the image that agents are made of. The image is made
// anew at fixed intervals from the beginning on, each edition with the dependencies
// that the trunk has then. An edition is a layer more to pull for each node; an agent
// keeps the edition that it was placed with.

// bake gives the templates that serve jobs of classes with the plan a layer for every
// edition: as large as the workspaces of their scopes, on average.
func (w *World) bake() {
	sizes := make([]map[int32]units.Bytes, len(w.Templates)) // by template and scope
	for i := range w.Classes {
		c := &w.Classes[i]
		if c.Rule < 0 || w.Rules[c.Rule].Plan != document.Baked || !c.Comes {
			continue
		}
		m := w.Match([][]string{c.Wants})[0]
		if m.Template < 0 {
			continue
		}
		t := &w.Templates[m.Template]
		every := w.Rules[c.Rule].Rebuilt()
		if t.Rebuilt == 0 || every < t.Rebuilt {
			t.Rebuilt = every
		}
		if sizes[m.Template] == nil {
			sizes[m.Template] = map[int32]units.Bytes{}
		}
		sizes[m.Template][c.Scope] = max(sizes[m.Template][c.Scope], units.Bytes(c.Archive.Mean()))
	}
	for i, scopes := range sizes {
		var size units.Bytes
		for _, s := range scopes {
			size += s
		}
		if size == 0 {
			continue
		}
		t := &w.Templates[i]
		own := t.ImageAt[0]
		if len(t.Containers) > 0 {
			own = t.ImageAt[t.Containers[0]]
		}
		for n := range int((w.Plan.Span + t.Rebuilt - 1) / t.Rebuilt) {
			t.Editions = append(t.Editions, int32(len(w.Images)))
			w.LayersOf = append(w.LayersOf, []int32{int32(len(w.Layers))})
			w.Layers = append(w.Layers, size)
			w.MakeTimes, w.ImageKeys = append(w.MakeTimes, w.MakeTimes[own]), append(w.ImageKeys, w.ImageKeys[own])
			w.Images = append(w.Images, document.Image{
				Name: fmt.Sprintf("%s, workspace %d", w.Images[own].Name, n+1), Size: size,
				Link: w.Images[own].Link,
			})
		}
	}
}

// WithCaching returns the world with other cache plans.
func (w *World) WithCaching(rules []document.CacheRule) *World {
	c := *w
	c.Rules, c.Scopes = rules, nil
	c.Classes, c.Templates = slices.Clone(w.Classes), slices.Clone(w.Templates)
	n := len(w.Images)
	for i := range c.Templates {
		t := &c.Templates[i]
		if len(t.Editions) > 0 {
			n = min(n, int(t.Editions[0]))
		}
		t.Editions, t.Rebuilt = nil, 0
	}
	c.Images, c.LayersOf, c.MakeTimes, c.ImageKeys = w.Images[:n:n], w.LayersOf[:n:n], w.MakeTimes[:n:n], w.ImageKeys[:n:n]
	layers := 0
	for _, of := range c.LayersOf {
		for _, l := range of {
			layers = max(layers, int(l)+1)
		}
	}
	c.Layers = w.Layers[:layers:layers]
	c.plans()
	return &c
}

// plans gives every class the first cache plan that names it.
func (w *World) plans() {
	for i := range w.Classes {
		w.plan(&w.Classes[i])
	}
	w.bake()
}

// plan gives a class the first cache plan that names it.
func (w *World) plan(c *Class) {
	c.Rule, c.Scope = -1, -1
	i := document.RuleOf(w.Rules, c.Name)
	if i < 0 || w.Rules[i].Plan == document.NoCache {
		return
	}
	name := w.Rules[i].ScopeOf(c.Name, c.Project)
	at := slices.IndexFunc(w.Scopes, func(x Scope) bool { return x.Name == name && x.Rule == int32(i) })
	if at < 0 {
		at = len(w.Scopes)
		w.Scopes = append(w.Scopes, Scope{name, int32(i)})
	}
	c.Rule, c.Scope = int32(i), int32(at)
}

// shareDependencies lists for each class those that build with the same dependencies, in
// the order of their scopes: all of its project, also where each has an entry of its own,
// so that what one changes makes the others' out of date too.
func (w *World) ShareDependencies() [][]int32 {
	out, of := make([][]int32, len(w.Classes)), map[string][]int32{}
	for i, c := range w.Classes {
		if c.Project == "" {
			out[i] = []int32{int32(i)}
		} else {
			of[c.Project] = append(of[c.Project], int32(i))
		}
	}
	for _, list := range of {
		slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(w.Classes[a].Scope, w.Classes[b].Scope) })
		for _, i := range list {
			out[i] = list
		}
	}
	return out
}
