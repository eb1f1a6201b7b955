package cli

import (
	"errors"
	"fmt"

	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// onFlags say on which cluster the service has runs computed.
type onFlags struct {
	context, namespace, image string
	pods                      int
}

func (f *onFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.context, "on", "", "have pods of this cluster compute the runs: a context of the service's kubeconfig, - for its usual one")
	fl.StringVar(&f.namespace, "namespace", "", "with --on: namespace of the Job; default: the context's own, else default")
	fl.StringVar(&f.image, "image", "", "with --on: image of the service's own version that pods run; default: what the service was started with")
	fl.IntVar(&f.pods, "pods", 0, "with --on: pods at once, at most; default: 8")
}

// usualContext stands for the service's usual cluster.
const usualContext = "-"

func (f *onFlags) check(here bool) error {
	if f.context == "" {
		if f.namespace != "" || f.image != "" || f.pods != 0 {
			return errors.New("each of --namespace, --image, --pods goes with --on")
		}
		return nil
	}
	if here {
		return errors.New("--on needs the service, which pods ask and answer: leave --here out")
	}
	if f.pods < 0 || f.pods > 1000 {
		return fmt.Errorf("--pods %d: expected 1 to 1000", f.pods)
	}
	return nil
}

// where is what the service is asked; nil: it computes.
func (f *onFlags) where() *wire.OnCluster {
	if f.context == "" {
		return nil
	}
	out := &wire.OnCluster{Context: f.context, Namespace: f.namespace, Image: f.image, Pods: f.pods}
	if out.Context == usualContext {
		out.Context = ""
	}
	return out
}
