package wire

import "time"

// A WatchedAgent is an agent in a cluster, as it is now.
type WatchedAgent struct {
	Namespace string    `json:"namespace" doc:"Its namespace."`
	Pod       string    `json:"pod" doc:"Name of the pod."`
	Template  string    `json:"template,omitempty" doc:"What it was made from, as far as its owner or name tells."`
	Node      string    `json:"node,omitempty" doc:"Node that it is on."`
	Phase     string    `json:"phase" enum:"placing,node,image,setup,work,wipe,gone" doc:"What it waits for, or does."`
	SinceNs   int64     `json:"sinceNs" doc:"How long it has been in that phase."`
	Began     time.Time `json:"began" doc:"When it was asked for."`
	AgeNs     int64     `json:"ageNs" doc:"How long ago that was; of one that is gone, how old it became."`
	Stretches []Stretch `json:"stretches" doc:"Its life so far, phase by phase; the last grows."`
	Says      string    `json:"says" doc:"How it stands, in a sentence."`
	Do        string    `json:"do,omitempty" doc:"What to do, where something is wrong."`
	Stuck     bool      `json:"stuck" doc:"Something is wrong with it."`
}

// A WatchedMoment is how many there were at a moment.
type WatchedMoment struct {
	At      time.Time `json:"at" doc:"When."`
	Agents  int       `json:"agents" doc:"Agents that there were."`
	Waiting int       `json:"waiting" doc:"Of these, without a node."`
	Working int       `json:"working" doc:"At work."`
	Nodes   int       `json:"nodes" doc:"Nodes of the cluster, as far as they may be read."`
}

// Watched is what there is of agents in a cluster at a moment.
type Watched struct {
	At        time.Time       `json:"at" doc:"When."`
	Context   string          `json:"context" doc:"The cluster."`
	Namespace string          `json:"namespace" doc:"The namespace that is watched; empty: all."`
	Template  string          `json:"template,omitempty" doc:"Only agents of this template."`
	Away      string          `json:"away,omitempty" doc:"What is wrong where the cluster does not answer: what is told is as it was."`
	AwayNs    int64           `json:"awayNs,omitempty" doc:"For how long it has not."`
	Blind     []string        `json:"blind,omitempty" doc:"What may not be read."`
	Agents    int             `json:"agents" doc:"Agents that there are."`
	Waiting   int             `json:"waiting" doc:"Of these, without a node."`
	Starting  int             `json:"starting" doc:"On a node, and not at work yet."`
	Working   int             `json:"working" doc:"At work."`
	Stuck     int             `json:"stuck" doc:"With which something is wrong."`
	On        int             `json:"on" doc:"Nodes that agents are on."`
	Nodes     int             `json:"nodes" doc:"Nodes of the cluster, as far as they may be read."`
	Before    []WatchedMoment `json:"before" doc:"How many there were since it is watched, every few seconds, of the last six hours; the oldest first."`
	List      []WatchedAgent  `json:"list" doc:"Those that are stuck first, then those that wait, then the youngest."`
}
