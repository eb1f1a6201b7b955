package cli

import (
	"context"
	"strings"
	"time"

	"tachyphor/core/document"

	"github.com/spf13/cobra"
)

// offers completes a command's words with the names of stored documents of some kinds, and
// with files where the command takes those too.
func (p *program) offers(files bool, most int, kinds ...string) cobra.CompletionFunc {
	return func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		how := cobra.ShellCompDirectiveNoFileComp
		if files {
			how = cobra.ShellCompDirectiveDefault
		}
		if most > 0 && len(args) >= most {
			return nil, how
		}
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		var names []string
		for _, kind := range kinds {
			list, err := p.client().List(ctx, kind)
			if err != nil { // no service; files are offered still
				return nil, how
			}
			for _, d := range list {
				if strings.HasPrefix(d.Name, begun) {
					names = append(names, d.Name)
				}
			}
		}
		return names, how
	}
}

// completing gives commands the words that complete them.
func (p *program) completing(root *cobra.Command) {
	kinds := func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			var out []string
			for _, k := range append(document.Kinds(), "outcomes", "weighings", "explorations", "margins") {
				if k = strings.ToLower(k); strings.HasPrefix(k, strings.ToLower(begun)) {
					out = append(out, k)
				}
			}
			return out, cobra.ShellCompDirectiveNoFileComp
		}
		kind, ok := document.FindKind(args[0])
		if !ok {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return p.offers(false, 0, kind)(c, nil, begun)
	}
	scenario, template := document.KindScenario, document.KindPodTemplate
	for name, f := range map[string]cobra.CompletionFunc{
		"get": kinds, "drop": kinds, "history": kinds, "diff": kinds,
		"simulate": p.offers(true, 1, scenario), "weigh": p.offers(true, 1, scenario), "improve": p.offers(true, 1, scenario), "margin": p.offers(true, 1, scenario), "backtest": p.offers(true, 1, scenario), "forecast": p.offers(true, 1, scenario), "drift": p.offers(false, 1, scenario),
		"sweep": p.offers(true, 1, document.KindSweep), "explain": p.offers(false, 1, scenario),
		"compare": p.offers(false, 0, scenario), "export": p.offers(false, 1, scenario),
		"check": p.offers(true, 0, template), "fit": p.offers(true, 0, template), "render": p.offers(true, 0, template),
		"size": p.offers(true, 1, template), "observe": p.offers(true, 1, template),
		"preflight": p.offers(true, 1, template), "rehearse": p.offers(true, 1, template),
	} {
		if c, _, err := root.Find([]string{name}); err == nil && c != root {
			c.ValidArgsFunction = f
		}
	}
}
