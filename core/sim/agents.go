package sim

import (
	"fmt"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// agentState is where an agent is in its life.
type agentState uint8

const (
	unplaced agentState = iota // the pod has no node
	pulling                    // images are made, or missing on its node
	starting                   // containers are starting, tools are being installed
	joining                    // on its way to the controller
	idle                       // ready for a job
	busy                       // working on a job, its workspace brought in before and saved after
	wiping                     // cleaning up after a job
	gone
	agentStates
)

// nextState lists every legal transition; any other is a defect.
var nextState = [agentStates][]agentState{
	unplaced: {pulling, starting},
	pulling:  {starting, gone},
	starting: {joining, gone},
	joining:  {idle, busy, gone},
	idle:     {busy, gone},
	busy:     {wiping, gone},
	wiping:   {idle, gone},
}

// An agent is a pod that runs jobs. Slots of agents that are gone are used again.
type agent struct {
	state    agentState
	image    int16 // of its images the one that it waits for, in pulling
	missing  bool  // it does
	replaces bool  // it was made because another failed to start
	before   bool  // it was made before its template was changed
	fails    bool  // one of its boot tools cannot be installed
	waited   bool  // for an image
	pulls    bool  // and some image is pulled for it first
	template int32 // what it is made of
	team     int32 // the template of the scenario whose agent it is
	node     int32 // -1 while unplaced
	job      int32 // the job it works on or wipes after; -1 otherwise
	lastJob  int32 // the last job it ended; -1 before the first
	verdict  int32 // why it first fitted nowhere; -1 if it always did
	edition  int32 // of the workspace in its image; -1 without
	waitNode int32 // booting node that was asked for on its behalf; -1 if none
	bootNode int32 // the last such node, kept for the record
	ordinal  int32 // within the template, from 1
	jobs     int32 // that ended on it
	tried    tried

	// An agent has at most one event ahead of it; version is the one that counts,
	// and never goes back, not even in a slot used again.
	version uint32
	ahead   units.Duration // when that event comes

	// Moments of the start, below 0 until they come.
	created, asked, unbooted, placed, made, present, started, installed, joined units.Duration
	updating                                                                    units.Duration // a part of joining
	called                                                                      units.Duration // when it could have joined
	putOff                                                                      units.Duration // last part of pulling: another try was put off
	idleSince, busySince                                                        units.Duration

	toolsAt []units.Duration // of one that joins before its tools are there: when each is; never where it will not be

	stuck []heldSince // why no node was asked for on its behalf, from scan to scan; nil if one was at once

	run run

	// Neighbours in the team's list of idle agents, -1 at its ends.
	older, newer int32
}

// becomes moves agent a to a state and tells the observers.
func (e *engine) becomes(a int32, to agentState) {
	g := &e.agents[a]
	if checked != nil && !legal(g.state, to) {
		panic(fmt.Sprintf("sim: agent goes from state %d to %d", g.state, to))
	}
	e.observeAgent(g, to)
	g.state = to
}

func legal(from, to agentState) bool {
	for _, s := range nextState[from] {
		if s == to {
			return true
		}
	}
	return false
}

// later plans what comes next for agent a; whatever was ahead of it is called off.
func (e *engine) later(a int32, d units.Duration, kind eventKind) {
	g := &e.agents[a]
	g.version++
	g.ahead = e.now + d
	e.queue.plan(g.ahead, kind, a, g.version)
}

// newAgent makes an agent of a template and tries to place its pod.
func (e *engine) newAgent(t int32) {
	var a int32
	if n := len(e.freeAgents); n > 0 {
		a = e.freeAgents[n-1]
		e.freeAgents = e.freeAgents[:n-1]
	} else {
		a = int32(len(e.agents))
		e.agents = append(e.agents, agent{})
	}
	team := &e.teams[t]
	team.made++
	e.agents[a] = agent{
		template: team.form, team: t, node: -1, job: -1, lastJob: -1, verdict: -1, waitNode: -1, bootNode: -1,
		ordinal: team.made, created: e.now, asked: -1, unbooted: -1, joined: -1, called: -1,
		version: e.agents[a].version + 1, replaces: team.failed > 0, tried: tried{could: never},
	}
	team.failed = max(0, team.failed-1)
	team.total++
	team.coming++
	e.total++
	e.mostAgents()
	e.charge(team.form, 1)
	e.trace.AgentsMade++
	e.observeNewAgent()
	e.submitPod(a)
}

// prepare begins what comes once agent a's pod has a node: making images, pulling
// them, or starting at once.
func (e *engine) prepare(a int32) {
	g := &e.agents[a]
	t := &e.w.Templates[g.template]
	g.made = e.now
	if !t.MakesImage {
		e.needImages(a)
		return
	}
	var sum units.Duration
	for _, i := range t.ImageAt {
		sum += units.Duration(e.w.MakeTimes[i].Draw(e.keyOf(chance.Making, g, e.w.ImageKeys[i])))
	}
	e.becomes(a, pulling)
	e.later(a, sum, imagesMade)
}

// imagesMade goes on to pull them.
func (e *engine) imagesMade(a int32) {
	e.agents[a].made = e.now
	e.needImages(a)
}

// imagesPresent goes on to start the containers.
func (e *engine) imagesPresent(a int32) {
	g := &e.agents[a]
	g.present = e.now
	e.becomes(a, starting)
	e.later(a, e.drawAs(e.w.StartTime, chance.Start, g), podStarted)
}

// podStarted installs the boot tools, if there are any, and lets the agent join.
func (e *engine) podStarted(a int32) {
	g := &e.agents[a]
	g.started = e.now
	tools := e.w.Templates[g.template].ToolAt
	if e.w.Templates[g.template].Early {
		e.installBeside(a)
		tools = nil
	}
	if len(tools) == 0 {
		e.join(a)
		return
	}
	var sum units.Duration
	for _, t := range tools {
		tool := &e.w.Tools[t]
		sum += units.Duration(tool.Install.Draw(e.keyOf(chance.Install, g, tool.Key)))
		if tool.Fails > 0 && e.keyOf(chance.ToolFails, g, tool.Key).Uniform() < tool.Fails {
			g.fails = true // which is seen when this one's time is over; those behind it are not begun
			break
		}
	}
	e.later(a, sum, toolsInstalled)
}

// toolsInstalled gives the agent up where installing one of them failed.
func (e *engine) toolsInstalled(a int32) {
	if e.agents[a].fails {
		e.trace.FailedStarts++
		e.giveUp(a)
		return
	}
	e.join(a)
}

func (e *engine) join(a int32) {
	g := &e.agents[a]
	g.installed = e.now
	e.becomes(a, joining)
	if e.w.Templates[g.template].UpdatesAgent {
		g.updating = e.drawAs(e.w.UpdateTime, chance.Update, g)
	}
	e.later(a, e.drawAs(e.w.JoinTime, chance.Join, g)+g.updating, agentJoined)
}

// agentJoined gives the agent the first job that was promised one, or lets it
// wait for a round.
func (e *engine) agentJoined(a int32) {
	g := &e.agents[a]
	if g.called < 0 {
		g.called = e.now
	}
	if back := e.controllerBack(e.now); back > e.now {
		e.later(a, back-e.now, agentJoined)
		return
	}
	g.joined = e.now
	team := &e.teams[g.team]
	team.coming--
	if e.w.Templates[g.template].Numbers.NeedsOneAgent && len(team.arrived) > 0 {
		e.wake(g.team, e.now) // there is one now
	}
	if team.promised > 0 {
		w := team.queue.pop()
		team.promised--
		team.lastShort = e.now
		e.startRun(a, w)
		return
	}
	e.becomes(a, idle)
	e.becameIdle(a)
}

// giveUp takes away an agent that has not joined: it failed, or its node goes.
func (e *engine) giveUp(a int32) {
	g := &e.agents[a]
	team := &e.teams[g.team]
	team.coming--
	if team.promised > team.coming {
		team.promised--
		w := team.queue.at(team.promised)
		if !e.again(w.job) {
			e.trace.spanTo(w.job, e.now, AgentFailed, -1)
		}
		w.promised, w.seen = -1, e.now
		team.failed++
	}
	at := e.now
	if g.created == at {
		at += failPause
	}
	e.depart(a)
	e.wake(g.team, at)
}

// failPause is how long the controller leaves a template alone whose agent failed at
// the very moment at which it was made, so that time goes on.
const failPause = units.Second

// wiped ends the job, and the agent too where it is not reused or its node goes.
func (e *engine) wiped(a int32) {
	g := &e.agents[a]
	e.recordEnd(a)
	g.lastJob, g.job = g.job, -1
	if g.jobs++; e.isOver(g) || e.nodes[g.node].closed {
		e.leave(a)
		return
	}
	e.becomes(a, idle)
	e.becameIdle(a)
}

// leave takes an agent and its pod away, and lets the controller look again.
func (e *engine) leave(a int32) {
	t, last := e.agents[a].team, e.agents[a].lastJob
	e.depart(a)
	e.teams[t].freedBy, e.freedBy, e.teams[t].lastGone = last, last, e.now
	e.wake(t, e.now) // its floor may be broken
}

// depart takes an agent and its pod away, which may be what others wait for.
func (e *engine) depart(a int32) {
	g := &e.agents[a]
	e.becomes(a, gone)
	e.observeLife(g)
	e.wentBefore(g)
	e.trace.AgentTime.Add(e.clip(e.now) - e.clip(g.created))
	g.version++ // calls off what was ahead of it
	team := &e.teams[g.team]
	team.total--
	e.mostAgents()
	e.total--
	e.charge(g.template, -1)
	e.freePod(a)
	e.freeAgents = append(e.freeAgents, a)
	for t := range e.teams {
		if team := &e.teams[t]; team.isBlocked && team.blocked.ofAll() {
			e.wake(int32(t), e.now)
		}
	}
}
