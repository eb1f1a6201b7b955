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
	AwaitsRound    Cause = iota // the controller has not looked yet
	AwaitsComing                // promised an agent, none of whose start it waited for in the end
	AtCeiling                   // the template's ceiling
	AtAgents                    // the scenario's agent ceiling
	AtStep                      // the round's step
	QuotaPods                   // the namespace's quota of pods
	QuotaCPU                    // of requested CPU
	QuotaMemory                 // of requested memory
	NoAgentYet                  // the controller takes no job before it has seen an agent
	AgentFailed                 // an agent that did not come up
	AwaitsScan                  // pods that do not fit are looked at every scan, after patience
	PoolsFull                   // no pool that could take the pod may grow
	CapacityOut                 // the pools that could take the pod had no node to give
	Draining                    // a pool that could take the pod is being drained
	KeptOff                     // its rules on neighbours let it on no node, nor on a new one
	BootFailed                  // a node that did not come up
	Booting                     // a node that was asked for
	BackedOff                   // the scheduler, which left the pod alone that it had tried in vain
	Making                      // images to be made
	PullJoined                  // images that others had begun to pull
	Pulling                     // images
	PutOff                      // another try at images whose pull had failed
	Starting                    // containers
	Installing                  // tools at boot
	Joining                     // the agent to reach the controller
	Updating                    // the agent to update itself
	VolumeTaken                 // another job to give up the workspace's volume
	Restoring                   // the workspace to come in
	Working                     // the job itself
	ColdWork                    // work that a fresh cache would have spared
	Stretched                   // CPU that it wanted and did not get
	LostWork                    // an attempt that was cut short
	Rerun                       // an agent to run again
	Saving                      // the workspace to go out
	Wiping                      // the workspace to be cleaned
	AtLimit                     // a limit over several templates; behind the others, whose numbers outcomes that are stored have
	OutOfService                // the template to be in service again
	Hindered                    // by what earlier jobs left on the agent
	AwaitsTool                  // a tool that the agent was still installing
	ControllerAway              // the controller, which held no rounds
	NobodyThere                 // an agent on its way found no controller
	Fetching                    // what the job fetches or sends over a link, once its work was done
	causes
)

// causeInfo is what is known of each cause.
var causeInfo = [causes]struct {
	phase Phase
	name  string
	label string
}{
	AwaitsRound:    {Held, "round", "the controller's next round"},
	AwaitsComing:   {Held, "coming", "its turn at agents already on their way"},
	AtCeiling:      {Held, "ceiling", "room under the template's ceiling"},
	AtAgents:       {Held, "agent-ceiling", "room under the ceiling of all agents"},
	AtStep:         {Held, "step", "another round: this one had started its most agents"},
	QuotaPods:      {Held, "quota-pods", "room under the namespace's quota of pods"},
	QuotaCPU:       {Held, "quota-cpu", "room under the namespace's quota of requested CPU"},
	QuotaMemory:    {Held, "quota-memory", "room under the namespace's quota of requested memory"},
	NoAgentYet:     {Held, "no-agent-yet", "a first agent: the controller takes no job before it has seen one"},
	AgentFailed:    {Held, "agent-failed", "an agent that did not come up"},
	AwaitsScan:     {Placing, "scan", "the next look at pods that fit nowhere"},
	PoolsFull:      {Placing, "pools-full", "room on nodes: no pool may grow further"},
	CapacityOut:    {Placing, "no-capacity", "a pool that had no node to give"},
	Draining:       {Placing, "drain", "the end of a pool's drain"},
	KeptOff:        {Placing, "neighbours", "a node that its rules on neighbours allow"},
	BootFailed:     {Node, "boot-failed", "a node that did not come up"},
	Booting:        {Node, "boot", "a new node to boot"},
	BackedOff:      {Node, "backoff", "the scheduler, which left its pod alone after tries in vain"},
	Making:         {Image, "make", "images to be made"},
	PullJoined:     {Image, "pull-joined", "images that were already being pulled for others"},
	Pulling:        {Image, "pull", "images to be pulled and unpacked"},
	PutOff:         {Image, "pull-again", "another try at images whose pull had failed"},
	Starting:       {Setup, "start", "containers to start"},
	Installing:     {Setup, "install", "tools to be installed at boot"},
	Joining:        {Join, "join", "the agent to reach the controller"},
	Updating:       {Join, "update", "the agent to update itself"},
	VolumeTaken:    {Restore, "volume-taken", "another job to give up the workspace's volume"},
	Restoring:      {Restore, "restore", "the workspace to come in"},
	Working:        {Work, "work", "the job's own work"},
	ColdWork:       {Work, "cold", "work that a warm cache would have saved"},
	Stretched:      {Work, "stretch", "CPU that it wanted and did not get"},
	LostWork:       {Work, "lost", "an attempt that was cut short"},
	Rerun:          {Work, "rerun", "an agent to run again"},
	Saving:         {Save, "save", "the workspace to go out"},
	Wiping:         {Wipe, "wipe", "the workspace to be cleaned"},
	OutOfService:   {Held, "out-of-service", "its template to be in service again"},
	Hindered:       {Work, "leftovers", "what earlier jobs had left on the agent"},
	AwaitsTool:     {Work, "tool", "a tool that the agent was still installing"},
	ControllerAway: {Held, "controller-away", "the controller, which was away"},
	NobodyThere:    {Join, "nobody-there", "the controller, which was away when the agent called"},
	Fetching:       {Work, "fetch", "what it fetches or sends over links of the cluster"},
	AtLimit:        {Held, "limit", "room under a limit that several templates share"},
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

// ofAll reports whether a cause holds jobs of several templates back alike, so that
// the going of another's agent may help.
func (c Cause) ofAll() bool {
	return c == AtAgents || c == AtLimit || c >= QuotaPods && c <= QuotaMemory
}
