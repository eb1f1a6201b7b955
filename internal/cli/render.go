package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/kit"

	"github.com/spf13/cobra"
)

// Forms in which manifests are written.
const (
	asStream        = "stream"
	asFolder        = "folder"
	asKustomization = "kustomization"
)

func (p *program) renderCommand() *cobra.Command {
	var scenario, as, into, namespace string
	var parts, with []string
	c := &cobra.Command{
		Use: "render TEMPLATE|FILE...", Short: "Write manifests: templates, pods as they are made, the access kit",
		Long: `Write the manifests that a cluster needs for templates: the access kit (namespace,
service account, role, binding, quota, limit range, network policies, Secrets to be
filled), the templates themselves and, where asked for, pods as they are made from
them. Each says what it is for. A scenario gives the ceilings, from which the quota
is made, and the cluster with its ways out.

  --parts kit,template,pod      what to write; otherwise kit and template
  --parts shards --namespace NS alone, without a template: the rights of a service that
                                has runs computed by pods there (sweep --on)
  --as stream                   one stream on standard output
  --as folder --into DIR        a file each
  --as kustomization --into DIR a file each, and a kustomization.yaml that names them`,
		Example: "  tachyphor render compile-wide small-steady --scenario weekday-lean | kubectl apply -f -\n  tachyphor render " +
			"agents.yaml --with platform/ --as kustomization --into deploy/agents",
		RunE: func(c *cobra.Command, args []string) error {
			if slices.Contains(parts, kit.PartShards) {
				if len(parts) > 1 || len(args) > 0 || namespace == "" {
					return errors.New("--parts shards is written alone, of no template: render --parts shards --namespace NS")
				}
				list, err := kit.Shards(namespace)
				if err != nil {
					return err
				}
				return p.manifests(kit.Rendered{Items: list, Stream: kit.Stream(list), Kustomization: kit.Kustomization(list)}, as, into)
			}
			if err := cobra.MinimumNArgs(1)(c, args); err != nil {
				return err
			}
			if namespace != "" {
				return errors.New("--namespace goes with --parts shards; templates name their own")
			}
			for _, x := range parts {
				if !slices.Contains([]string{kit.PartKit, kit.PartTemplate, kit.PartPod}, x) {
					return fmt.Errorf("--parts %q: expected kit, template or pod", x)
				}
			}
			switch {
			case !slices.Contains([]string{asStream, asFolder, asKustomization}, as):
				return fmt.Errorf("--as %q: expected stream, folder or kustomization", as)
			case as == asStream && into != "":
				return fmt.Errorf("--into %s: a stream goes to standard output; add --as folder or --as kustomization", into)
			case as != asStream && into == "":
				return fmt.Errorf("--as %s: say where to with --into DIR", as)
			}
			r, err := p.render(c, args, with, scenario, parts)
			if err != nil {
				return err
			}
			return p.manifests(r, as, into)
		},
	}
	c.Flags().StringVar(&scenario, "scenario", "", "scenario that gives ceilings and the cluster")
	c.Flags().StringSliceVar(&parts, "parts", nil, "kit, template, pod; or shards alone")
	c.Flags().StringVar(&namespace, "namespace", "", "with --parts shards: where pods compute")
	c.Flags().StringVar(&as, "as", asStream, "stream, folder or kustomization")
	c.Flags().StringVar(&into, "into", "", "folder for the files; made if it does not exist")
	c.Flags().StringArrayVar(&with, "with", nil, "with FILE: file or folder with the scenario and the cluster (may be repeated)")
	return c
}

func (p *program) render(c *cobra.Command, args, with []string, scenario string, parts []string) (kit.Rendered, error) {
	if !isFile(args[0]) {
		return p.client().Render(c.Context(), args, scenario, parts)
	}
	s, err := p.stackOf(args, with)
	if err != nil {
		return kit.Rendered{}, err
	}
	if scenario != "" && s.shelf.Find(document.KindScenario, scenario) == nil {
		return kit.Rendered{}, no(fmt.Errorf("no Scenario %s in %s; name its folder with --with", scenario,
			strings.Join(append(args, with...), ", ")))
	}
	r, err := kit.Render(&s.shelf, s.asked, scenario, parts)
	return r, no(err)
}

// manifests writes what was rendered.
func (p *program) manifests(r kit.Rendered, as, into string) error {
	if as == asStream {
		if p.format == "json" {
			return p.value(r)
		}
		_, err := fmt.Fprint(p.out, r.Stream)
		return err
	}
	files := map[string]string{}
	for _, m := range r.Items {
		files[m.File] = m.Text
	}
	if as == asKustomization {
		files["kustomization.yaml"] = r.Kustomization
	}
	if err := os.MkdirAll(into, 0o755); err != nil {
		return err
	}
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(into, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	l := listing{columns: []column{{"file", false}, {"what it is for", false}}, value: r.Items}
	for _, m := range r.Items {
		l.rows = append(l.rows, []string{filepath.Join(into, m.File), m.For})
	}
	if as == asKustomization {
		l.rows = append(l.rows, []string{filepath.Join(into, "kustomization.yaml"), "names them for kubectl apply -k"})
	}
	return p.show(l)
}
