package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/review"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/wire"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
)

// liveFlags say on which cluster something is tried.
type liveFlags struct {
	options  kube.Options
	scenario string
	with     []string
	inside   string // image of this program
	risky    bool   // what a review finds risky may be made
}

func (f *liveFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.options.Kubeconfig, "kubeconfig", "", "try it from here, with this kubeconfig; without it the service tries, with its own")
	fl.StringVar(&f.options.Context, "context", "", "context of the kubeconfig, the service's or yours; default: the current one")
	fl.StringVar(&f.scenario, "scenario", "", "scenario that gives ceilings and the cluster; default: the first that uses the template")
	fl.StringArrayVar(&f.with, "with", nil, "with FILE: file or folder with the scenario and the cluster (may be repeated)")
}

// here reports whether to try from this process.
func (f *liveFlags) here(arg string) bool { return f.options.Kubeconfig != "" || isFile(arg) }

func (p *program) preflightCommand() *cobra.Command {
	var f liveFlags
	c := &cobra.Command{
		Use: "preflight TEMPLATE|FILE", Short: "Test a live connection, right by right",
		Long: `Test whether agents of a template could run in a live cluster: reached, version,
namespace, each right of the account that makes agents, the access kit and an agent
held against the server without keeping them, quota and limit range, Secrets, the
controller's Service and its port. Nothing is changed. It goes on to the end and says
for each line what to do next.

The service tries it with its own connection; with --kubeconfig, or a FILE, this
process does. The exit status is 1 when something failed.`,
		Example: "  tachyphor preflight compile-wide\n  tachyphor preflight agents.yaml --with platform/ --kubeconfig " +
			"~/.kube/config --context north",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			checks, err := p.preflight(c.Context(), args[0], f)
			if err != nil {
				return err
			}
			return p.checked(checks)
		},
	}
	f.add(c)
	c.Flags().StringVar(&f.inside, "store-from", "", "with --kubeconfig or FILE: an image of this program, of which a pod tries the cache store from inside")
	return c
}

// lines reports whether to write lines while something goes on.
func (p *program) lines() bool { return p.format == "table" }

func (p *program) preflight(ctx context.Context, arg string, f liveFlags) ([]wire.Check, error) {
	tell := func(c wire.Check) {
		if p.lines() {
			p.line(c)
		}
	}
	if !f.here(arg) && f.inside != "" {
		return nil, errors.New("--store-from goes with --kubeconfig or a FILE")
	}
	if !f.here(arg) {
		told := 0
		t, err := p.try(ctx, wire.WorkPreflight, arg, f, func(t *wire.TrialBrief) {
			for ; told < len(t.Checks); told++ {
				tell(t.Checks[told])
			}
		})
		return t.Checks, err
	}
	shelf, docs, err := p.forLive(ctx, arg, f)
	if err != nil {
		return nil, err
	}
	conn, err := kube.Connect(f.options)
	if err != nil {
		return nil, no(err)
	}
	var all []wire.Check
	for i, group := range byNamespace(docs) {
		plan, err := kube.PlanFor(shelf, group, f.scenario)
		if err != nil {
			return all, no(err)
		}
		if len(docs) > len(group) && p.lines() {
			if i > 0 {
				fmt.Fprintln(p.out)
			}
			fmt.Fprintln(p.out, p.strong("namespace "+group[0].Value.(*document.PodTemplate).Namespace)+
				p.faint(": "+strings.Join(namesOf(group), ", ")))
		}
		all = append(all, conn.Preflight(ctx, plan, tell)...)
		if f.inside == "" {
			continue
		}
		if plan.Store == "" {
			return all, no(errors.New("--store-from: no cluster among the documents says where the cache store is (spec.store.address)"))
		}
		check := conn.TryStore(ctx, group[0].Value.(*document.PodTemplate).Namespace, f.inside, plan.Store)
		tell(check)
		all = append(all, check)
	}
	return all, nil
}

// byNamespace groups templates by the namespace that they live in, in order.
func byNamespace(docs []*document.Document) [][]*document.Document {
	var out [][]*document.Document
	for _, d := range docs {
		in := d.Value.(*document.PodTemplate).Namespace
		i := slices.IndexFunc(out, func(g []*document.Document) bool { return g[0].Value.(*document.PodTemplate).Namespace == in })
		if i < 0 {
			out = append(out, nil)
			i = len(out) - 1
		}
		out[i] = append(out[i], d)
	}
	return out
}

func namesOf(docs []*document.Document) []string {
	out := make([]string, len(docs))
	for i, d := range docs {
		out[i] = d.Name
	}
	return out
}

// forLive puts a template on a shelf with what stands around it: from files, or
// from the service.
func (p *program) forLive(ctx context.Context, arg string, f liveFlags) (*review.Shelf, []*document.Document, error) {
	if isFile(arg) {
		s, err := p.stackOf([]string{arg}, f.with)
		if err != nil {
			return nil, nil, err
		}
		return &s.shelf, s.asked, nil
	}
	c := p.client()
	list, err := c.List(ctx, "")
	if err != nil {
		return nil, nil, err
	}
	shelf := &review.Shelf{}
	for _, d := range list {
		full, err := c.Get(ctx, d.Kind, d.Name, 0)
		if err != nil {
			return nil, nil, err
		}
		docs, faults := document.Parse(d.Kind+"/"+d.Name, []byte(full.Text))
		if len(faults) == 0 && len(docs) == 1 {
			shelf.Put(docs[0])
		}
	}
	d := shelf.Find(document.KindPodTemplate, arg)
	if d == nil {
		return nil, nil, no(fmt.Errorf("there is no template %s; `tachyphor get templates` lists them", arg))
	}
	return shelf, []*document.Document{d}, nil
}

// try lets the service make a trial, follows it, and ends it when this is ended. What came
// of it is never nil.
func (p *program) try(ctx context.Context, kind, template string, f liveFlags, tell func(*wire.TrialBrief)) (*wire.TrialBrief, error) {
	c, last := p.client(), &wire.TrialBrief{}
	asked, err := c.Try(ctx, wire.TryOut{Kind: kind, Template: template, Scenario: f.scenario, Context: f.options.Context, Risky: f.risky})
	if err != nil {
		return last, err
	}
	hear := func(w wire.WorkBrief) {
		if w.Trial != nil {
			last = w.Trial
			tell(last)
		}
	}
	end, err := c.Watch(ctx, asked.ID, hear)
	if ctx.Err() != nil {
		after, cancel := context.WithTimeout(context.Background(), 40*time.Second)
		defer cancel()
		if _, err := c.Cancel(after, asked.ID); err != nil {
			return last, err
		}
		_, err = c.Watch(after, asked.ID, hear) // what it made is taken away first
		if err == nil {
			err = ctx.Err()
		}
		return last, err
	}
	if err == nil && end.State == wire.Failed {
		err = no(errors.New(end.Error))
	}
	return last, err
}

// line writes one check.
func (p *program) line(c wire.Check) {
	state := map[wire.CheckState]string{
		wire.CheckPassed: "passed        ", wire.CheckFailed: p.bad("failed        "),
		wire.CheckUnclear: p.warn("could not tell"),
	}[c.State]
	fmt.Fprintf(p.out, "%s  %s%s\n", state, p.strong(c.Name), p.faint(": "+c.Says))
	if c.Do != "" {
		for line := range strings.Lines(p.wrap("→ " + c.Do)) {
			fmt.Fprint(p.out, "                "+strings.TrimRight(line, "\n")+"\n")
		}
	}
}

// checked ends a preflight's report.
func (p *program) checked(checks []wire.Check) error {
	l := listing{columns: []column{{"check", false}, {"state", false}, {"says", false}, {"do", false}}, value: checks}
	count := map[wire.CheckState]int{}
	for _, c := range checks {
		count[c.State]++
		l.rows = append(l.rows, []string{c.Name, string(c.State), c.Says, c.Do})
	}
	if !p.lines() {
		if err := p.show(l); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(p.out, "\n%d passed, %d failed, %d could not be decided.\n", count[wire.CheckPassed], count[wire.CheckFailed],
			count[wire.CheckUnclear])
	}
	if count[wire.CheckFailed] > 0 {
		return refusal{exitNo, errSilent}
	}
	return nil
}

func (p *program) rehearseCommand() *cobra.Command {
	var f liveFlags
	var patience kube.Patience
	var into string
	var all bool
	c := &cobra.Command{
		Use: "rehearse TEMPLATE|FILE", Short: "Make one real agent with a harmless job, time it, and remove it",
		Long: `Make one agent of a template in a live cluster. Its job is harmless: it writes its
host name and which tools there are. It is followed to the end and taken away whatever
happens. What is printed is its life, phase by phase, with what the cluster said; when
it sticks, why, and what to do.

The service makes it with its own connection; with --kubeconfig, or a FILE, this
process does. The exit status is 1 when the agent did not do its job.`,
		Example: "  tachyphor rehearse compile-wide\n  tachyphor rehearse agents.yaml --with platform/ --kubeconfig ~/.kube/config",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			r, err := p.rehearse(c.Context(), args[0], f, patience)
			if err != nil {
				return err
			}
			if err := p.rehearsed(r); err != nil || into == "" {
				return err
			}
			return p.rehearsedInto(c.Context(), r, into, all)
		},
	}
	f.add(c)
	c.Flags().StringVar(&into, "into", "", "stored cluster, or file of one, that gets the facts: how long containers take to start, sizes of images")
	c.Flags().BoolVar(&f.risky, "risky", false, "by the service: make an agent though a review finds something risky about the template")
	c.Flags().BoolVar(&all, "all", false, "with --into: also over what somebody wrote by hand or records tell")
	c.Flags().DurationVar(&patience.Whole, "within", 10*time.Minute, "with --kubeconfig or FILE: time limit")
	return c
}

func (p *program) rehearse(ctx context.Context, arg string, f liveFlags, patience kube.Patience) (*wire.Rehearsal, error) {
	told := 0
	tell := func(r wire.Rehearsal) {
		for ; told < len(r.Events); told++ {
			e := r.Events[told]
			if p.lines() {
				at := fmt.Sprintf("%8s  ", units.Duration(e.At).Short())
				says := text.WrapSoft(e.Reason+": "+e.Message, max(leastColumn, p.term.width-len(at)))
				fmt.Fprintln(p.err, p.faint(at+strings.ReplaceAll(says, "\n", "\n"+strings.Repeat(" ", len(at)))))
			}
		}
	}
	if !f.here(arg) {
		t, err := p.try(ctx, wire.WorkRehearsal, arg, f, func(t *wire.TrialBrief) {
			if t.Agent != nil {
				tell(*t.Agent)
			}
		})
		if err == nil && t.Agent == nil {
			err = no(errors.New("the service says nothing of the rehearsal"))
		}
		return t.Agent, err
	}
	shelf, docs, err := p.forLive(ctx, arg, f)
	if err != nil {
		return nil, err
	}
	conn, err := kube.Connect(f.options)
	if err != nil {
		return nil, no(err)
	}
	if len(docs) > 1 {
		fmt.Fprintf(p.err, "One agent at a time: this is %s; %s are not rehearsed now.\n", docs[0].Name, strings.Join(namesOf(docs[1:]), ", "))
	}
	r := conn.Rehearse(ctx, docs[0], shelf.Tools(docs[0]), patience, tell)
	return &r, ctx.Err()
}

// rehearsedInto makes what a rehearsal tells facts of a cluster.
func (p *program) rehearsedInto(ctx context.Context, r *wire.Rehearsal, cluster string, all bool) error {
	seen := learn.Rehearsed{At: time.Now(), Where: strings.TrimSpace(r.Context + " " + r.Node)}
	for _, s := range r.Stretches {
		if s.Phase == sim.PhaseNames[sim.Setup] {
			seen.Start = time.Duration(s.Ns)
		}
	}
	for _, e := range r.Events {
		if e.Reason == "Pulled" {
			seen.Pulls = append(seen.Pulls, e.Message)
		}
	}
	var left []string
	err := p.intoCluster(ctx, cluster, func(c *document.ClusterSpec) (edits []document.Edit) {
		edits, left = seen.Edits(c, all)
		return edits
	})
	for _, x := range left {
		fmt.Fprintln(p.err, p.wrap(x+"; it stays (--all takes the rehearsal's)."))
	}
	return err
}

// rehearsed writes an agent's life.
func (p *program) rehearsed(r *wire.Rehearsal) error {
	l := listing{
		columns: []column{{"from", true}, {"for", true}, {"phase", false}, {"what the cluster said", false}}, value: r,
		main: "stretches",
	}
	phases := make([]float64, sim.Phases)
	whole := 0.0
	for _, s := range r.Stretches {
		l.rows = append(l.rows, []string{units.Duration(s.From).Short(), units.Duration(s.Ns).Short(), s.Phase, s.Says})
		if i := slices.Index(sim.PhaseNames[:], s.Phase); i >= 0 {
			phases[i] += float64(s.Ns)
			whole += float64(s.Ns)
		}
	}
	err := p.life(r, l, phases, whole)
	if err == nil && !r.Worked {
		err = refusal{exitNo, errSilent}
	}
	return err
}

// life writes how an agent fared: in a sentence, as a ribbon, phase by phase; in other
// formats than a table the listing alone.
func (p *program) life(r *wire.Rehearsal, l listing, phases []float64, whole float64) error {
	if !p.lines() {
		return p.show(l)
	}
	says := r.Says
	if !r.Worked && r.Do != "" {
		says = p.bad("It stuck. ") + says
	}
	var at []string
	if r.Context != "" {
		at = append(at, "cluster "+r.Context)
	}
	if r.Pod != "" {
		at = append(at, "pod "+r.Pod)
	}
	where := "  " + strings.Join(at, ", ")
	if r.Node != "" {
		where += " on " + r.Node
	}
	fmt.Fprintln(p.out, "\n"+p.strong(r.Template)+p.faint(where))
	fmt.Fprintln(p.out, p.wrap(says))
	if r.Do != "" {
		fmt.Fprintln(p.out, p.wrap("→ "+r.Do))
	}
	if whole > 0 {
		fmt.Fprintln(p.out, "\n"+p.bar(phases, whole, min(p.term.width, 100)))
		fmt.Fprintln(p.out, p.legend(phases)+"\n")
		if err := p.show(l); err != nil {
			return err
		}
	}
	if r.Log != "" {
		fmt.Fprintln(p.out, p.faint("\nWhat the job wrote:"))
		for line := range strings.Lines(r.Log) {
			fmt.Fprintln(p.out, "  "+strings.TrimRight(line, "\n"))
		}
	}
	return nil
}

// kubeconfigOf is the kubeconfig that a service uses unless told otherwise: none
// named, so that KUBECONFIG or the cluster that it runs in counts.
func kubeconfigOf(flag string) kube.Options {
	if flag == "" {
		flag = os.Getenv("TACHYPHOR_KUBECONFIG")
	}
	return kube.Options{Kubeconfig: flag}
}
