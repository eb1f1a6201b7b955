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
	pulling                    // images are missing on its node
	starting                   // containers are starting
	joining                    // on its way to the controller
	idle                       // ready for a job
	busy                       // working on a job
	wiping                     // cleaning up after a job
	gone
	agentStates
)

// nextState lists every legal transition; any other is a defect.
var nextState = [agentStates][]agentState{
	unplaced: {pulling, starting},
	pulling:  {starting},
	starting: {joining},
	joining:  {idle, busy},
	idle:     {busy, gone},
	busy:     {wiping},
	wiping:   {idle, gone},
}

// An agent is a pod that runs jobs. Slots of agents that are gone are used again.
type agent struct {
	state    agentState
	missing  int8 // images still to come, in pulling
	template int32
	node     int32 // -1 while unplaced
	job      int32 // the job it works on or wipes after; -1 otherwise
	lastJob  int32 // the last job it ended; -1 before the first
	verdict  int32 // why it first fitted nowhere; -1 if it always did
	waitNode int32 // booting node that was asked for on its behalf; -1 if none
	bootNode int32 // the last such node, kept for the record
	ordinal  uint64

	// Moments of the start, below 0 until they come.
	created, full, asked, placed, present, started, joined units.Duration
	idleSince                                              units.Duration

	// Neighbours in the team's list of idle agents, -1 at its ends.
	older, newer int32
}

// becomes moves agent a to a state and tells the observers.
func (e *engine) becomes(a int32, to agentState) {
	g := &e.agents[a]
	if checked && !legal(g.state, to) {
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
		template: t, node: -1, job: -1, lastJob: -1, verdict: -1, waitNode: -1, bootNode: -1,
		ordinal: uint64(t)<<40 | team.made, created: e.now, full: -1, asked: -1,
	}
	team.total++
	team.coming++
	e.total++
	e.trace.AgentsMade++
	e.observeNewAgent()
	e.submitPod(a)
}

// imagesPresent goes on to start the containers.
func (e *engine) imagesPresent(a int32) {
	g := &e.agents[a]
	g.present = e.now
	e.becomes(a, starting)
	e.queue.plan(e.now+e.draw(e.w.StartTime, chance.Start, g.ordinal), podStarted, a, 0)
}

func (e *engine) podStarted(a int32) {
	g := &e.agents[a]
	g.started = e.now
	e.becomes(a, joining)
	e.queue.plan(e.now+e.draw(e.w.JoinTime, chance.Join, g.ordinal), agentJoined, a, 0)
}

// agentJoined gives the agent the first job that was promised one, or lets it
// wait for a round.
func (e *engine) agentJoined(a int32) {
	g := &e.agents[a]
	g.joined = e.now
	team := &e.teams[g.template]
	team.coming--
	if team.promised > 0 {
		w := team.queue.pop()
		team.promised--
		e.startWork(a, w)
		return
	}
	e.becomes(a, idle)
	e.becameIdle(a)
}

// startWork begins a job on agent a.
func (e *engine) startWork(a int32, w waiting) {
	g := &e.agents[a]
	e.recordStart(g, w)
	g.job = w.job
	e.becomes(a, busy)
	j := &e.jobs.List[w.job]
	work := j.Work
	if work < 0 {
		work = e.draw(e.w.Classes[j.Class].work, chance.Work, uint64(w.job))
	}
	e.queue.plan(e.now+work, workEnded, a, 0)
}

func (e *engine) workEnded(a int32) {
	g := &e.agents[a]
	e.trace.spanTo(g.job, e.now, Working, -1)
	e.becomes(a, wiping)
	e.queue.plan(e.now+e.draw(e.w.WipeTime, chance.Wipe, uint64(g.job)), wiped, a, 0)
}

// wiped ends the job, and the agent too where it is not reused.
func (e *engine) wiped(a int32) {
	g := &e.agents[a]
	e.recordEnd(g)
	g.lastJob, g.job = g.job, -1
	if e.w.Templates[g.template].reuseNever() {
		e.leave(a)
		return
	}
	e.becomes(a, idle)
	e.becameIdle(a)
}

// leave takes an agent and its pod away.
func (e *engine) leave(a int32) {
	g := &e.agents[a]
	e.becomes(a, gone)
	team := &e.teams[g.template]
	team.total--
	e.total--
	e.freePod(a)
	e.freeAgents = append(e.freeAgents, a)
	e.agentLeft(g.template)
}
