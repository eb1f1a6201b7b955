package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"strings"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/wire"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// watchFlags are the flags of watch.
type watchFlags struct {
	options   kube.Options
	namespace string
	beside    string
	with      []string
	every     time.Duration
	long      time.Duration
}

func (p *program) watchCommand() *cobra.Command {
	f := watchFlags{every: time.Second}
	c := &cobra.Command{
		Use: "watch TEMPLATE|NAMESPACE", Short: "Follow the agents in a cluster: each one's life so far, what it waits for, and what is wrong with those that stick",
		Long: `Follow the agents of a template, or all of a namespace, with your kubeconfig: each pod's life so far,
phase by phase, what it waits for, and in a sentence what is wrong where it sticks, as why explains it.
With --beside FILE, a scenario's, what is usual for this hour of the week stands beside the counts:
that between which they are nine times in ten.

On a terminal the view is drawn anew in place; in a pipe a line is written for each change. Where the
cluster does not answer, what was seen last stays, and it goes on once it does. Ctrl-C ends it.`,
		Example: "  tachyphor watch slipway\n  tachyphor watch compile-wide -n slipway --beside scenarios/lean.yaml\n  tachyphor watch slipway --for 10m > agents.log",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if f.every < 100*time.Millisecond || f.every > time.Hour {
				return fmt.Errorf("--every %s: expected 100ms to 1h", f.every)
			}
			return p.watchAgents(c.Context(), args[0], f)
		},
	}
	fl := c.Flags()
	fl.StringVarP(&f.namespace, "namespace", "n", "", "namespace of the template's agents; without it the argument is a namespace")
	fl.StringVar(&f.options.Kubeconfig, "kubeconfig", "", "kubeconfig; default: KUBECONFIG or the usual one")
	fl.StringVar(&f.options.Context, "context", "", "context of the kubeconfig; default: the current one")
	fl.StringVar(&f.beside, "beside", "", "file of a scenario whose usual numbers for this hour stand beside")
	fl.StringArrayVar(&f.with, "with", nil, "with --beside: file or folder with more documents (may be repeated)")
	fl.DurationVar(&f.every, "every", f.every, "time between two looks")
	fl.DurationVar(&f.long, "for", 0, "end after this long; 0: never")
	return c
}

func (p *program) watchAgents(ctx context.Context, what string, f watchFlags) error {
	namespace, template := what, ""
	if f.namespace != "" {
		namespace, template = f.namespace, what
	}
	var usual *outcome.UsualWeek
	if f.beside != "" {
		w, err := p.gather(f.beside, f.with, true)
		if err != nil {
			return err
		}
		err = p.compute(ctx, "what is usual in "+w.Scenario, false, w.Plan.Seed, func(progress paired.Progress) (err error) {
			usual, err = outcome.Usual(w, runtime.NumCPU(), progress)
			return err
		})
		if err != nil {
			return err
		}
	}
	c, err := kube.Connect(f.options)
	if err != nil {
		return no(err)
	}
	if f.long > 0 {
		var stop context.CancelFunc
		ctx, stop = context.WithTimeout(ctx, f.long)
		defer stop()
	}
	w, err := c.Watch(ctx, namespace, template)
	if err != nil {
		return no(err)
	}
	view := p.viewer(usual)
	tick := time.NewTicker(f.every)
	defer tick.Stop()
	for {
		now := w.Now(view.most())
		if len(now.Blind) == 3 {
			return no(errors.New("nothing may be read there: " + now.Blind[0] + "; `tachyphor preflight` says what an agent's keeper may, right by right"))
		}
		if w.Synced() || now.Away != "" {
			view.show(now)
		}
		select {
		case <-ctx.Done():
			view.end()
			return nil
		case <-tick.C:
		}
	}
}

// A viewer shows agents again and again.
type viewer interface {
	most() int
	show(now wire.Watched)
	end()
}

// viewer draws in place on a terminal, and writes lines elsewhere.
func (p *program) viewer(usual *outcome.UsualWeek) viewer {
	if f, ok := p.raw.(*os.File); ok && p.lines() && term.IsTerminal(int(f.Fd())) && os.Getenv("TERM") != "dumb" {
		return &screen{p: p, usual: usual, file: f}
	}
	return &log{p: p, usual: usual, was: map[string]*told{}}
}

// counts tells how many there are, each beside what is usual.
func (p *program) counts(now wire.Watched, usual *outcome.UsualWeek) string {
	part := func(n int, what string, b *outcome.Band) string {
		s := fmt.Sprintf("%s %d", what, n)
		if b == nil {
			return s
		}
		is := fmt.Sprintf(" (usual %s to %s)", roundish(b.Low), roundish(b.High))
		if roundish(b.Low) == roundish(b.High) {
			is = fmt.Sprintf(" (usual %s)", roundish(b.Low))
		}
		if float64(n) > b.High+1 || float64(n) < b.Low-1 {
			return p.warn(s + is)
		}
		return s + p.faint(is)
	}
	var agents, nodes *outcome.Band
	if usual != nil {
		h := usual.At(now.At)
		agents, nodes = &h.Agents, &h.Nodes
	}
	parts := []string{
		part(now.Agents, "agents", agents), fmt.Sprintf("%d wait for a node", now.Waiting), fmt.Sprintf("%d starting", now.Starting),
		fmt.Sprintf("%d at work", now.Working), part(now.Nodes, "nodes", nodes) + fmt.Sprintf(", agents on %d", now.On),
	}
	if now.Stuck > 0 {
		parts = append(parts, p.bad(fmt.Sprintf("%d stuck", now.Stuck)))
	}
	return strings.Join(parts, " · ")
}

func roundish(x float64) string {
	if x == float64(int(x)) || x >= 10 {
		return fmt.Sprintf("%.0f", x)
	}
	return fmt.Sprintf("%.1f", x)
}

// trouble says what cannot be read.
func (p *program) trouble(now wire.Watched) (out []string) {
	if now.Away != "" {
		out = append(out, p.bad("The cluster has not answered for "+units.Duration(now.AwayNs).Short())+": "+now.Away+". What is shown is as it was then.")
	}
	for _, b := range now.Blind {
		out = append(out, p.warn("May not be read: "+b))
	}
	return out
}

// screen draws in place.
type screen struct {
	p     *program
	usual *outcome.UsualWeek
	file  *os.File
	begun bool
}

func (s *screen) size() (width, height int) {
	width, height, err := term.GetSize(int(s.file.Fd()))
	if err != nil || width <= 0 || height <= 0 {
		return 100, 30
	}
	return width, height
}

func (s *screen) most() int {
	_, height := s.size()
	return max(1, height)
}

// show draws: the head, then as many agents as there is room for, those first that need someone.
func (s *screen) show(now wire.Watched) {
	width, height := s.size()
	var lines []string
	head := s.p.strong(now.Namespace)
	if now.Template != "" {
		head = s.p.strong(now.Template) + " in " + now.Namespace
	}
	lines = append(lines, head+s.p.faint("  "+now.Context+", "+now.At.Local().Format("15:04:05")), s.p.counts(now, s.usual))
	if over := s.p.overTime(now.Before, width); over != "" {
		lines = append(lines, over)
	}
	lines = append(lines, s.p.trouble(now)...)
	lines = append(lines, "")
	oldest := int64(1)
	for _, a := range now.List {
		oldest = max(oldest, a.AgeNs)
	}
	shown := 0
	for _, a := range now.List {
		more := s.p.watched(a, oldest, width)
		if len(lines)+len(more) > height-4 {
			break
		}
		lines, shown = append(lines, more...), shown+1
	}
	switch left := now.Agents - shown; {
	case len(now.List) == 0:
		lines = append(lines, s.p.faint("No agents."))
	case left > 0:
		lines = append(lines, s.p.faint(fmt.Sprintf("and %d more", left)))
	}
	if shown > 0 {
		lines = append(lines, "", s.p.key())
	}
	var b bytes.Buffer
	if !s.begun {
		b.WriteString("\x1b[2J")
		s.begun = true
	}
	b.WriteString("\x1b[H")
	words := &cleaner{out: &b, colour: s.p.term.colour} // what the cluster said steers nothing
	for _, l := range lines {
		fmt.Fprint(words, strings.ReplaceAll(l, "\n", " "))
		b.WriteString("\x1b[K\n")
	}
	b.WriteString("\x1b[J")
	_, _ = s.file.Write(b.Bytes())
}

// blocks are how much of a line's most a moment has.
var blocks = []rune("▁▂▃▄▅▆▇█")

// overTime draws how many agents, agents without a node, and nodes there were, the newest last.
func (p *program) overTime(before []wire.WatchedMoment, width int) string {
	room := (width - 46) / 3
	if len(before) < 2 || room < 4 {
		return ""
	}
	before = before[max(0, len(before)-room):]
	line := func(name string, of func(m *wire.WatchedMoment) int) string {
		most := 1
		for i := range before {
			most = max(most, of(&before[i]))
		}
		var b strings.Builder
		for i := range before {
			b.WriteRune(blocks[of(&before[i])*(len(blocks)-1)/most])
		}
		return fmt.Sprintf("%s %s %d", p.faint(name), b.String(), of(&before[len(before)-1]))
	}
	return line("agents", func(m *wire.WatchedMoment) int { return m.Agents }) + "  " + line("without a node", func(m *wire.WatchedMoment) int { return m.Waiting }) +
		"  " + line("nodes", func(m *wire.WatchedMoment) int { return m.Nodes })
}

func (s *screen) end() { fmt.Fprintln(s.file) }

// ribbonWidth is how many columns a life is drawn on.
const ribbonWidth = 30

// watchMarks are what phases are drawn with.
var watchMarks = map[string]struct {
	mark   string
	colour int
}{"placing": {"·", 33}, "node": {"░", 34}, "image": {"▒", 36}, "setup": {"▓", 35}, "work": {"█", 32}, "wipe": {"─", 90}}

// key says what the marks of a life mean.
func (p *program) key() string {
	var parts []string
	for _, phase := range []string{"placing", "node", "image", "setup", "work", "wipe"} {
		m := watchMarks[phase]
		mark := strings.Repeat(m.mark, 2)
		if p.term.colour {
			mark = fmt.Sprintf("\x1b[%dm%s\x1b[0m", m.colour, mark)
		}
		parts = append(parts, mark+" "+phase)
	}
	return strings.Join(parts, "  ")
}

// watched is an agent in a line, and what is wrong with it in another.
func (p *program) watched(a wire.WatchedAgent, oldest int64, width int) []string {
	var ribbon strings.Builder
	drawn := 0
	for _, x := range a.Stretches {
		upTo := int(float64(ribbonWidth) * float64(x.From+x.Ns) / float64(oldest))
		n := max(0, min(ribbonWidth, upTo)-drawn)
		if n == 0 && x.Ns > 0 && drawn < ribbonWidth {
			n = 1
		}
		m := watchMarks[x.Phase]
		text := strings.Repeat(m.mark, n)
		if p.term.colour && n > 0 {
			text = fmt.Sprintf("\x1b[%dm%s\x1b[0m", m.colour, text)
		}
		ribbon.WriteString(text)
		drawn += n
	}
	ribbon.WriteString(strings.Repeat(" ", max(0, ribbonWidth-drawn)))
	since := units.Duration(a.SinceNs / int64(time.Second) * int64(time.Second)).Short()
	if a.Phase == "gone" { // how old it became
		since = units.Duration(a.AgeNs / int64(time.Second) * int64(time.Second)).Short()
	}
	room := max(12, width-ribbonWidth-32)
	name := fmt.Sprintf("%-*s", min(room, 44), clipped(a.Pod, min(room, 44)))
	line := fmt.Sprintf("%s %s %-8s %9s", name, ribbon.String(), a.Phase, since)
	if room > 60 {
		line += "  " + p.faint(clipped(a.Node, room-46))
	}
	if !a.Stuck {
		return []string{line}
	}
	return []string{line, "  " + p.bad(clipped(a.Says, width-3)), "  " + clipped(a.Do, width-3)}
}
