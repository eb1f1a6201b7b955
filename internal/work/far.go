package work

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"time"

	"tachyphor/internal/kube"
	"tachyphor/wire"
)

// Far says how runs are computed on a cluster.
type Far struct {
	Reach string // address of this service, as pods of clusters reach it; empty: none is computed there
	Image string // that runs this program, where a question names none
	// Least is how much work there must be for pods to be worth their coming; less is done here. 0:
	// farLeast.
	Least    time.Duration
	Patience time.Duration // without a pod that comes up; 0: the usual
}

// Bounds of work elsewhere.
const (
	farLeast = 10 * time.Second // of one core
	farGroup = 30 * time.Second // of a group, about
	farPods  = 8                // at once, where nobody says otherwise
	farMost  = 1000             // groups
	farAgain = 2                // Jobs for what lost nodes left, beside the first
)

// pods is how many may be at work at once.
func pods(on *wire.OnCluster) int {
	if on.Pods > 0 {
		return on.Pods
	}
	return farPods
}

// Reaches reports whether runs can be computed on clusters without anything more being said.
func (q *Queue) Reaches() bool { return q.far.Reach != "" && q.far.Image != "" }

// reach opens the connection to the cluster that a question is to be computed on, and looks whether
// it would take the work. An error that wraps ErrExplore says what to do.
func (q *Queue) reach(ctx context.Context, on *wire.OnCluster) error {
	switch {
	case q.far.Reach == "":
		return fmt.Errorf("%w: this service does not know at which address pods reach it; start it with --reach URL", ErrExplore)
	case on.Image == "" && q.far.Image == "":
		return fmt.Errorf("%w: name the image that pods run with --image, or start the service with --shards-image; it must be of the version "+
			"of this service, as `make image` builds it", ErrExplore)
	}
	c, err := q.connect(on)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrExplore, err)
	}
	if err := q.cluster.in(c.ShardsIn(on.Namespace)); err != nil {
		return fmt.Errorf("%w: %w", ErrExplore, err)
	}
	if err := c.TryShards(ctx, q.shards(on, 0, 1, "none")); err != nil {
		return fmt.Errorf("%w: %w", ErrExplore, err)
	}
	return nil
}

// farLeast is how much work there must be for pods to come.
func (q *Queue) farLeast() time.Duration {
	if q.far.Least > 0 {
		return q.far.Least
	}
	return farLeast
}

func (q *Queue) connect(on *wire.OnCluster) (*kube.Cluster, error) {
	o := q.cluster.Options
	o.Context = on.Context
	return kube.Connect(o)
}

// shards are groups as a cluster is asked for them.
func (q *Queue) shards(on *wire.OnCluster, id uint64, groups int, token string) kube.Shards {
	image := on.Image
	if image == "" {
		image = q.far.Image
	}
	b := make([]byte, 4)
	_, _ = rand.Read(b)
	return kube.Shards{
		Name: fmt.Sprintf("tachyphor-%d-%s", id, hex.EncodeToString(b)), Work: id, Namespace: on.Namespace, Image: image, Groups: groups,
		Pods: pods(on), Address: q.far.Reach, Token: token, Patience: q.far.Patience,
	}
}
