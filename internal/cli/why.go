package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/learn"
	"tachyphor/internal/kube"
	"tachyphor/wire"

	"github.com/spf13/cobra"
	corev1 "k8s.io/api/core/v1"
)

// whyFlags are the flags of why.
type whyFlags struct {
	options   kube.Options
	namespace string
	files     []string
}

func (p *program) whyCommand() *cobra.Command {
	var f whyFlags
	c := &cobra.Command{
		Use: "why [POD]", Short: "Explain why an agent does not come up, or how it ended",
		Long: `Explain a pod that is there already, stuck or gone, as a rehearsal explains its own: its
life phase by phase, what the cluster said, and in a sentence what is wrong and what to
do. Without POD every pod that is not well is told in a line.

It is asked for with your kubeconfig, or read from files with pods, their events and
perhaps nodes (-f), as kubectl writes them. The exit status is 1 when something is wrong.`,
		Example: "  tachyphor why compile-wide-x7k2p -n slipway\n  kubectl get pods,events,nodes -A -o json > dump.json; tachyphor why -f dump.json\n" +
			"  tachyphor why compile-wide-x7k2p -f pods.json -f events.json",
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return p.why(c.Context(), strings.Join(args, ""), f) },
	}
	fl := c.Flags()
	fl.StringArrayVarP(&f.files, "file", "f", nil, "file with pods, events and nodes (may be repeated); without it the cluster is asked")
	fl.StringVarP(&f.namespace, "namespace", "n", "", "namespace of the pod; default: the namespace default, or any with files")
	fl.StringVar(&f.options.Kubeconfig, "kubeconfig", "", "kubeconfig; default: KUBECONFIG or the usual one")
	fl.StringVar(&f.options.Context, "context", "", "context of the kubeconfig; default: the current one")
	return c
}

func (p *program) why(ctx context.Context, pod string, f whyFlags) error {
	d, err := p.dump(ctx, pod, f)
	if err != nil {
		return err
	}
	var found []*corev1.Pod
	for i := range d.Pods {
		if x := &d.Pods[i]; (pod == "" || x.Name == pod) && (f.namespace == "" || x.Namespace == f.namespace) {
			found = append(found, x)
		}
	}
	explain := func(x *corev1.Pod) *wire.Rehearsal {
		events, node := d.Of(x)
		r := kube.Why(x, events, node, d.AsOf)
		return &r
	}
	switch {
	case pod != "" && len(found) == 0:
		return no(fmt.Errorf("there is no pod %s among %s", pod, counted(len(d.Pods), "pod")))
	case len(found) == 0:
		return no(errors.New("there are no pods"))
	case pod != "":
		return p.rehearsed(explain(found[0]))
	}
	l := listing{columns: []column{{"pod", false}, {"what is wrong", false}, {"what to do", false}}}
	var all []*wire.Rehearsal
	for _, x := range found {
		if r := explain(x); !r.Worked {
			all = append(all, r)
			l.rows = append(l.rows, []string{x.Namespace + "/" + x.Name, r.Says, r.Do})
		}
	}
	l.value = all
	if len(all) == 0 {
		fmt.Fprintf(p.err, "All of %s are well.\n", counted(len(found), "pod"))
		return nil
	}
	if err := p.show(l); err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%d of %s. `tachyphor why POD` shows the whole life of one.\n", len(all), counted(len(found), "pod"))
	return refusal{exitNo, errSilent}
}

// dump reads what there is of pods.
func (p *program) dump(ctx context.Context, pod string, f whyFlags) (*kube.Dump, error) {
	if len(f.files) == 0 {
		conn, err := kube.Connect(f.options)
		if err != nil {
			return nil, no(err)
		}
		namespace := f.namespace
		if namespace == "" {
			namespace = corev1.NamespaceDefault
		}
		d, err := conn.Look(ctx, namespace, pod)
		if err != nil {
			return nil, no(fmt.Errorf("%w; -n names another namespace than %s", err, namespace))
		}
		return d, nil
	}
	d := &kube.Dump{}
	for _, file := range f.files {
		data, err := p.wholeFile(file, learn.MostBytes)
		if err != nil {
			return nil, err
		}
		if err := d.Read(data); err != nil {
			return nil, no(fmt.Errorf("%s: %w", file, err))
		}
	}
	slices.SortStableFunc(d.Pods, func(a, b corev1.Pod) int { return strings.Compare(a.Namespace+"/"+a.Name, b.Namespace+"/"+b.Name) })
	return d, nil
}
