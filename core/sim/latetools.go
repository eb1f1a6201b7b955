package sim

import (
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Agents may join before their boot tools are there. A job that needs one which is still being installed
// waits for it or fails, as its template says, and fails where it will never be there.

// installBeside draws when each boot tool of agent a will be there, one after the other from now on: one
// that cannot be installed, and those behind it, never are.
func (e *engine) installBeside(a int32) {
	g := &e.agents[a]
	at := e.now
	for _, t := range e.w.Templates[g.template].ToolAt {
		tool := &e.w.Tools[t]
		if at < never {
			at += units.Duration(tool.Install.Draw(e.keyOf(chance.Install, g, tool.Key)))
			if tool.Fails > 0 && e.keyOf(chance.ToolFails, g, tool.Key).Uniform() < tool.Fails {
				at = never
				e.trace.ToolsFailed++
			}
		}
		g.toolsAt = append(g.toolsAt, at)
	}
}

// equipped is when agent g has all tools that a class's jobs need.
func (e *engine) equipped(g *agent, class *world.Class) (at units.Duration) {
	t := &e.w.Templates[g.template]
	for i, ready := range g.toolsAt {
		if slices.Contains(class.Tools, t.ToolAt[i]) && slices.Contains(t.Lacking, t.ToolAt[i]) {
			at = max(at, ready)
		}
	}
	return at
}

// lacksTool has agent a's job wait for a tool that it needs and that is not there, or fail, and reports
// whether there was such a tool.
func (e *engine) lacksTool(a int32) bool {
	g := &e.agents[a]
	at := e.equipped(g, &e.w.Classes[e.jobs.List[g.job].Class])
	if at <= e.now {
		return false
	}
	e.trace.spanTo(g.job, e.now, Restoring, -1)
	if at == never || e.w.Templates[g.template].Gropes {
		e.trace.Records[g.job].Result = NoTool
		e.follow(g.job, NoTool)
		e.wipe(a)
		return true
	}
	g.run.step = awaitingTool
	e.later(a, at-e.now, restoreStep)
	return true
}
