package wire

import (
	"tachyphor/core/explore"
)

// OnCluster says on which cluster an exploration's runs are computed.
type OnCluster struct {
	Context   string `json:"context,omitempty" maxLength:"255" doc:"Cluster, of the service's kubeconfig; absent: its usual one."`
	Namespace string `json:"namespace,omitempty" maxLength:"63" doc:"Namespace of the Job; absent: the context's own, else default."`
	Image     string `json:"image,omitempty" maxLength:"400" doc:"Image that runs this program, of the service's own version; absent: what the service was started with."`
	Pods      int    `json:"pods,omitempty" minimum:"0" maximum:"1000" doc:"Pods at once, at most; absent: 8."`
}

// A ShardsQuestion is what pods compute shards of. It and what follows goes between processes of
// one version of this program alone.
type ShardsQuestion struct {
	Aims   []string      `json:"aims"`
	Inputs []ShardsInput `json:"inputs"`
}

// A ShardsInput is what variants are run with: a scenario with one workload.
type ShardsInput struct {
	Documents []string          `json:"documents"` // texts: the scenario, its cluster, its workload, its templates
	Recorded  bool              `json:"recorded"`  // its recorded jobs are to be fetched too
	Columns   map[string]string `json:"columns,omitempty"`
}

// A ShardGroup is what one pod computes.
type ShardGroup struct {
	Shards []NumberedShard `json:"shards"`
}

// A NumberedShard is a shard with its number among those that are asked for.
type NumberedShard struct {
	Number int `json:"number"`
	explore.Shard
}

// A ShardAnswer is what a shard's runs said.
type ShardAnswer struct {
	Number int           `json:"number"`
	Runs   []explore.Run `json:"runs"`
}

// Addresses at which pods ask and answer; the number of an input or a group follows.
const (
	ShardsQuestionPath = "/api/v1/shards/question"
	ShardsJobsPath     = "/api/v1/shards/jobs/"
	ShardsGroupPath    = "/api/v1/shards/groups/"
)
