package cli

import (
	"errors"
	"os"

	"tachyphor/internal/kube"
	"tachyphor/internal/memory"
	"tachyphor/internal/pod"

	"github.com/spf13/cobra"
)

// workCommand is what pods of a Job of shards run; people have no use for it.
func (p *program) workCommand() *cobra.Command {
	return &cobra.Command{
		Use: "work", Short: "Compute shards, as a pod of a Job that the service makes", Args: cobra.NoArgs, Hidden: true,
		Long: `Pods of the Job that ` + "`sweep --on`" + ` makes run this. They are told by their environment whom to
ask, with a token that opens nothing else and ends with the work.`,
		RunE: func(c *cobra.Command, _ []string) error {
			memory.Heed(memory.Limit())
			w := pod.Pod{Address: os.Getenv(kube.ShardsAddress), Token: os.Getenv(kube.ShardsToken), Group: os.Getenv(kube.ShardsIndex), Log: p.err}
			err := w.Work(c.Context())
			if errors.Is(err, pod.ErrRefused) {
				return refusal{kube.ShardsRefused, err}
			}
			return no(err)
		},
	}
}
