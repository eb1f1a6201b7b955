package wire

import (
	"tachyphor/core/document"
)

// ScenarioBrief is a scenario in a list, with its newest finished outcome.
type ScenarioBrief struct {
	Name     string     `json:"name" doc:"Name of the scenario."`
	Cluster  string     `json:"cluster" doc:"Its cluster."`
	Workload string     `json:"workload" doc:"Its workload."`
	Revision int        `json:"revision" doc:"Newest revision."`
	Note     string     `json:"note" doc:"The comment at the head of its document."`
	Last     *WorkBrief `json:"last,omitempty" doc:"Newest finished outcome."`
	Current  bool       `json:"current" doc:"That outcome was computed from the newest revisions of everything."`
}

// Scenario is a scenario with what it builds on.
type Scenario struct {
	ScenarioBrief
	Spec      document.ScenarioSpec `json:"spec" doc:"The design, defaults filled in."`
	Templates []TemplateBrief       `json:"templates" doc:"What its templates are."`
	Pools     []PoolBrief           `json:"pools" doc:"The cluster's pools under the scenario's limits."`
	Currency  string                `json:"currency" doc:"Currency of prices."`
	Faults    []document.Fault      `json:"faults" doc:"What keeps it from being simulated."`
}

// ScenarioText is a scenario's text while it is written, with what it comes to.
type ScenarioText struct {
	Text        string                 `json:"text" doc:"The text, the edits made in it."`
	Spec        *document.ScenarioSpec `json:"spec,omitempty" doc:"What it says, defaults filled in; absent while it cannot be read."`
	Written     any                    `json:"written,omitempty" doc:"The text as JSON, as it is written; absent while it is no YAML."`
	Faults      []document.Fault       `json:"faults" doc:"What keeps it from being stored or simulated, each at its field and line."`
	Differences []document.Difference  `json:"differences" doc:"What differs from the newest revision that is stored."`
	Sentences   []string               `json:"sentences" doc:"The same in words."`
	Since       *SinceOutcome          `json:"since,omitempty" doc:"What changed since the newest outcome; absent: there is none."`
	Templates   []TemplateBrief        `json:"templates" doc:"What its templates are."`
	Pools       []PoolBrief            `json:"pools" doc:"The cluster's pools under the scenario's limits."`
	Currency    string                 `json:"currency" doc:"Currency of prices."`
	Classes     []string               `json:"classes" doc:"Classes of its workload."`
	Images      []string               `json:"images" doc:"Images that its cluster knows."`
}

// SinceOutcome says what changed since an outcome was computed.
type SinceOutcome struct {
	Outcome   uint64   `json:"outcome" doc:"Number of the outcome."`
	Sentences []string `json:"sentences" doc:"What changed in the scenario, and which other documents have newer revisions."`
}

// Glance is what one run of a scenario says that need not be stored.
type Glance struct {
	Now    Gist    `json:"now" doc:"The first repeat of the text."`
	Was    *Gist   `json:"was,omitempty" doc:"The same repeat of the newest revision that is stored; absent: none is, or it cannot be run."`
	TookMs float64 `json:"tookMs" doc:"How long the service took, in milliseconds."`
}

// TemplateBrief is a template in a few words.
type TemplateBrief struct {
	Name   string   `json:"name" doc:"Name of the template."`
	Offers []string `json:"offers" doc:"Words it offers."`
	CPU    string   `json:"cpu" doc:"CPU that one agent requests."`
	Memory string   `json:"memory" doc:"Memory that one agent requests."`
}

// PoolBrief is a pool in a few words.
type PoolBrief struct {
	Name     string `json:"name" doc:"Name of the pool."`
	NodeType string `json:"nodeType" doc:"Type of its nodes."`
	CPU      string `json:"cpu" doc:"CPU of a node that agents can use."`
	Memory   string `json:"memory" doc:"Memory of a node that agents can use."`
	Price    string `json:"price" doc:"Price of a node."`
	Min      int    `json:"min" doc:"Fewest nodes."`
	Max      int    `json:"max" doc:"Most nodes."`
}

// ScenarioPage is a page of scenarios.
type ScenarioPage struct {
	Items []ScenarioBrief `json:"items" doc:"Scenarios in the order that was asked for."`
	All   int             `json:"all" doc:"How many there are in all, with that text in their names."`
	Next  string          `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}
