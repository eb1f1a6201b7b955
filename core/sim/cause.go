package sim

// A Phase is one part of a job's time, in the order of the ribbon.
type Phase uint8

// The phases of a job, in order.
const (
	Held Phase = iota
	Placing
	Node
	Image
	Setup
	Join
	Restore
	Work
	Save
	Wipe
	Phases // how many there are
)

// PhaseNames are the phases' names in order.
var PhaseNames = [Phases]string{"held", "placing", "node", "image", "setup", "join", "restore", "work", "save", "wipe"}

// String returns the phase's name.
func (p Phase) String() string { return PhaseNames[p] }

// A Cause says what a job was waiting for. It belongs to one phase.
type Cause uint8

// Why time passes.
const (
	AwaitsRound  Cause = iota // the controller has not looked yet
	AwaitsComing              // promised an agent, none of whose start it waited for in the end
	AtCeiling                 // the template's ceiling
	AtAgents                  // the scenario's agent ceiling
	AtStep                    // the round's step
	AwaitsScan                // pods that do not fit are looked at every scan, after patience
	PoolsFull                 // no pool that could take the pod may grow
	Booting                   // a node that was asked for
	Pulling                   // images
	Starting                  // containers
	Joining                   // the agent to reach the controller
	Working                   // the job itself
	Wiping                    // the workspace to be cleaned
	causes
)

// causeInfo is what is known of each cause.
var causeInfo = [causes]struct {
	phase Phase
	name  string
	label string
}{
	AwaitsRound:  {Held, "round", "the controller's next round"},
	AwaitsComing: {Held, "coming", "its turn at agents already on their way"},
	AtCeiling:    {Held, "ceiling", "room under the template's ceiling"},
	AtAgents:     {Held, "agent-ceiling", "room under the ceiling of all agents"},
	AtStep:       {Held, "step", "another round: this one had started its most agents"},
	AwaitsScan:   {Placing, "scan", "the next look at pods that fit nowhere"},
	PoolsFull:    {Placing, "pools-full", "room on nodes: no pool may grow further"},
	Booting:      {Node, "boot", "a new node to boot"},
	Pulling:      {Image, "pull", "images to be pulled and unpacked"},
	Starting:     {Setup, "start", "containers to start"},
	Joining:      {Join, "join", "the agent to reach the controller"},
	Working:      {Work, "work", "the job's own work"},
	Wiping:       {Wipe, "wipe", "the workspace to be cleaned"},
}

// Causes lists every cause.
func Causes() []Cause {
	all := make([]Cause, causes)
	for i := range all {
		all[i] = Cause(i)
	}
	return all
}

// Phase returns the phase the cause belongs to.
func (c Cause) Phase() Phase { return causeInfo[c].phase }

// String returns the cause's short name.
func (c Cause) String() string { return causeInfo[c].name }

// Label says in words what the job waited for.
func (c Cause) Label() string { return causeInfo[c].label }
