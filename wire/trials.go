package wire

// CheckState is what came of one check.
type CheckState string

// What can come of a check.
const (
	CheckPassed  CheckState = "passed"
	CheckFailed  CheckState = "failed"
	CheckUnclear CheckState = "unclear" // it could not be told
)

// A Check is one line of a preflight.
type Check struct {
	Name  string     `json:"name" doc:"What was looked at."`
	State CheckState `json:"state" enum:"passed,failed,unclear" doc:"What came of it; unclear: it could not be told."`
	Says  string     `json:"says" doc:"What was seen, in the server's own words where it refused."`
	Do    string     `json:"do,omitempty" doc:"What to do next."`
}

// A Stretch is a part of the rehearsed agent's life.
type Stretch struct {
	Phase string `json:"phase" doc:"placing, node, image, setup, work or wipe."`
	From  int64  `json:"fromNs" doc:"When it began, in ns since the pod was asked for."`
	Ns    int64  `json:"ns" doc:"How long it took, in ns."`
	Says  string `json:"says" doc:"What explains it, from the cluster's events."`
}

// An Event is what the cluster said of the pod.
type Event struct {
	At      int64  `json:"atNs" doc:"When it was seen, in ns since the pod was asked for."`
	Reason  string `json:"reason" doc:"The cluster's word for it."`
	Message string `json:"message" doc:"What the cluster said."`
	Warning bool   `json:"warning" doc:"The cluster holds it for a warning."`
}

// A Rehearsal is one real agent from its making to its end.
type Rehearsal struct {
	Template  string    `json:"template" doc:"Name of the template."`
	Context   string    `json:"context" doc:"Cluster that it was made in."`
	Pod       string    `json:"pod" doc:"Name of the pod."`
	Node      string    `json:"node" doc:"Node that it went to."`
	Worked    bool      `json:"worked" doc:"The agent did its harmless job."`
	Says      string    `json:"says" doc:"How it went, or why it stuck, in a sentence."`
	Do        string    `json:"do,omitempty" doc:"What to do next."`
	Stretches []Stretch `json:"stretches" doc:"Its life, phase by phase."`
	Events    []Event   `json:"events" doc:"What the cluster said of it."`
	Log       string    `json:"log" doc:"What the job wrote: host name and versions of tools."`
	Cleaned   string    `json:"cleaned" doc:"How the pod was taken away."`
}

// TrialBrief is what came of a preflight or a rehearsal on a live cluster so far.
type TrialBrief struct {
	Context string     `json:"context" doc:"Cluster that it is made on."`
	Checks  []Check    `json:"checks" doc:"Of a preflight: its checks so far."`
	Agent   *Rehearsal `json:"agent,omitempty" doc:"Of a rehearsal: the agent's life so far."`
}

// Connections are the clusters that the service can reach.
type Connections struct {
	Contexts []string `json:"contexts" doc:"Names of contexts, the usual one first; empty: there is no cluster to speak to."`
	Shards   bool     `json:"shards" doc:"An exploration's runs can be computed there: the service knows at which address pods reach it, and what image they run."`
	Why      string   `json:"why,omitempty" doc:"Why there is none."`
}

// TryOut asks for a preflight or a rehearsal.
type TryOut struct {
	Kind     string `json:"kind" enum:"preflight,rehearsal" doc:"What to try."`
	Template string `json:"template" minLength:"1" maxLength:"63" doc:"Stored template."`
	Scenario string `json:"scenario,omitempty" maxLength:"63" doc:"Scenario that gives the kit its ceilings; absent: the first that uses the template."`
	Context  string `json:"context,omitempty" maxLength:"255" doc:"Cluster; absent: the service's usual one."`
	Risky    bool   `json:"risky,omitempty" doc:"Make an agent of it though a review finds something risky."`
}
