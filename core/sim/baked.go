package sim

import (
	"sort"

	"tachyphor/core/units"
	"tachyphor/core/world"
)

// edition is the one that images of a template have now.
func (e *engine) edition(t *world.Template) int32 {
	if len(t.Editions) == 0 {
		return -1
	}
	return min(int32(e.now/t.Rebuilt), int32(len(t.Editions)-1))
}

// imagesOf are the images of agent g's pod: its template's, and the workspace in them.
func (e *engine) imagesOf(g *agent) []int32 {
	t := &e.w.Templates[g.template]
	if g.edition < 0 {
		return t.ImageAt
	}
	e.imageList = append(append(e.imageList[:0], t.ImageAt...), t.Editions[g.edition])
	return e.imageList
}

// inImage says what the image of a busy agent has of a scope's workspace.
func (e *engine) inImage(g *agent, scope int32) warmth {
	if g.edition < 0 {
		return e.found(g.job, false, 0)
	}
	made := e.w.Templates[g.template].Rebuilt * units.Duration(g.edition)
	changes := e.cache.changes[scope]
	had := int32(sort.Search(len(changes), func(i int) bool { return changes[i] >= made }))
	return e.found(g.job, true, had)
}
