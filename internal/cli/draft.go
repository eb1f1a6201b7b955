package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"tachyphor/core/template"
	"tachyphor/core/units"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// A draftQuestion is one that a first template is made of.
type draftQuestion struct {
	field, ask, example string
	optional            bool
	take                func(a *template.Answers, text string) error
}

// empty is what counts where an optional question is not answered.
func (q *draftQuestion) empty() string {
	if q.field == "secret" {
		return "none"
	}
	return q.example
}

// says is what the question's flag says of itself.
func (q *draftQuestion) says() string {
	out := fmt.Sprintf("%s, as in %q", q.ask, q.example)
	if q.optional {
		out += "; default: " + q.empty()
	}
	return out
}

// draftQuestions are the questions, in the order of the work.
var draftQuestions = []draftQuestion{
	{"namespace", "where agents live, in a namespace of their own", "slipway", false, func(a *template.Answers, s string) error {
		a.Namespace = s
		return nil
	}},
	{
		"controller", "address at which agents reach their controller, inside the cluster", "http://dispatch.slipway.svc:8080", false,
		func(a *template.Answers, s string) error {
			a.Controller = s
			return nil
		},
	},
	{"secret", "Secret and key with the token by which they join", "slipway-join/token", true, func(a *template.Answers, s string) error {
		a.Secret = s
		return nil
	}},
	{"name", "what the template is called", "small-steady", false, func(a *template.Answers, s string) error {
		a.Name = s
		return nil
	}},
	{"offers", "what its agents can do, in words that jobs want, separated by commas", "linux, go", false, func(a *template.Answers, s string) error {
		a.Offers = template.Words(s)
		return nil
	}},
	{
		"takes", "any job that fits, or only named ones, those that want something", template.TakesAny, true,
		func(a *template.Answers, s string) error {
			a.Takes = s
			return nil
		},
	},
	{
		"image", "image with the agent and the tools that jobs need, with a tag that stays", "images.brinewell.example/agents/steady:2026.9", false,
		func(a *template.Answers, s string) error {
			a.Image = s
			return nil
		},
	},
	{"cpu", "cores that one job keeps busy", "2", false, func(a *template.Answers, s string) (err error) {
		a.CPU, err = units.ParseMilliCPU(s)
		return err
	}},
	{"memory", "memory that one job needs at its peak", "4Gi", false, func(a *template.Answers, s string) (err error) {
		a.Memory, err = units.ParseBytes(s)
		return err
	}},
	{"workspace", "disk that one job's workspace takes", "8Gi", false, func(a *template.Answers, s string) (err error) {
		a.Workspace, err = units.ParseBytes(s)
		return err
	}},
	{"longest", "how long an agent may live at most, so that one that hangs ends", "4h", true, func(a *template.Answers, s string) (err error) {
		a.Longest, err = units.ParseDuration(s)
		return err
	}},
}

// mostTries is how often a question is asked again.
const mostTries = 5

func (p *program) draftCommand() *cobra.Command {
	given := map[string]*string{}
	var file string
	var ask bool
	c := &cobra.Command{
		Use: "draft", Short: "Write a first pod template from a few answers",
		Long: `Write a first pod template: one that nothing is found wrong with, and that is corrected from
there. What is not given as a flag is asked for on a terminal; elsewhere all that is missing
or wrong is told at once. Needs no service.`,
		Example: "  tachyphor draft\n  tachyphor draft --namespace slipway --controller http://dispatch.slipway.svc:8080 --name small-steady \\\n" +
			"    --offers linux,go --image images.brinewell.example/agents/steady:2026.9 --cpu 2 --memory 4Gi --workspace 8Gi --write small-steady.yaml",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if file != "" {
				if _, err := os.Lstat(file); err == nil {
					return no(fmt.Errorf("%s already exists; name another file", file))
				}
			}
			answers := map[string]string{}
			for field, text := range given {
				if c.Flags().Changed(field) {
					answers[field] = strings.TrimSpace(*text)
				}
			}
			f, ok := p.in.(*os.File)
			if ask || ok && term.IsTerminal(int(f.Fd())) {
				if err := p.askDraft(answers); err != nil {
					return err
				}
			}
			text, wrong := drafted(answers)
			if len(wrong) > 0 {
				return no(errors.New(needAnotherLook(wrong)))
			}
			if file == "" {
				_, err := io.WriteString(p.raw, text)
				return err
			}
			if err := whole(file, func(w io.Writer) error { _, err := io.WriteString(w, text); return err }); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "Written: %s. Next: `tachyphor check %s`, with your cluster and scenario beside it; then `tachyphor put %s`.\n", file, file, file)
			return nil
		},
	}
	for _, q := range draftQuestions {
		given[q.field] = c.Flags().String(q.field, "", q.says())
	}
	c.Flags().StringVar(&file, "write", "", "write it to this file, which must not exist yet; default: to standard output")
	c.Flags().BoolVar(&ask, "ask", false, "ask for what is not given, even where the input is not a terminal")
	return c
}

// drafted makes a template of answers by field, or says what is wrong with them, all at once.
func drafted(answers map[string]string) (text string, wrong []template.Question) {
	var a template.Answers
	var unread []template.Question
	for _, q := range draftQuestions {
		said := answers[q.field]
		if said == "" {
			continue
		}
		if err := q.take(&a, said); err != nil {
			unread = append(unread, template.Question{Field: q.field, Reason: err.Error()})
		}
	}
	text, wrong = a.Draft()
	for _, u := range unread { // what was not understood counts as not said: its own words say more
		if i := slices.IndexFunc(wrong, func(q template.Question) bool { return q.Field == u.Field }); i >= 0 {
			wrong[i] = u
		} else {
			wrong = append(wrong, u)
		}
	}
	at := func(field string) int {
		return slices.IndexFunc(draftQuestions, func(q draftQuestion) bool { return q.field == field })
	}
	slices.SortFunc(wrong, func(x, y template.Question) int { return at(x.Field) - at(y.Field) })
	return text, wrong
}

// needAnotherLook lists what is wrong with answers, by flag.
func needAnotherLook(wrong []template.Question) string {
	out := "some answers are missing or need another look:"
	for _, q := range wrong {
		out += fmt.Sprintf("\n  --%s: %s", q.Field, q.Reason)
	}
	return out
}

// askDraft asks for what was not answered yet, each until it can be used.
func (p *program) askDraft(answers map[string]string) error {
	in := bufio.NewReader(io.LimitReader(p.in, 1<<16))
	for _, q := range draftQuestions {
		if _, ok := answers[q.field]; ok {
			continue
		}
		for try := 0; ; try++ {
			hint := "as in " + q.example
			if q.optional {
				hint += "; empty: " + q.empty()
			}
			fmt.Fprintf(p.err, "%s: %s (%s)\n> ", q.field, q.ask, hint)
			line, err := in.ReadString('\n')
			answers[q.field] = strings.TrimSpace(line)
			_, wrong := drafted(answers)
			i := slices.IndexFunc(wrong, func(w template.Question) bool { return w.Field == q.field })
			if i < 0 {
				break
			}
			switch {
			case errors.Is(err, io.EOF):
				fmt.Fprintln(p.err)
				return no(fmt.Errorf("the answers ended at %s: %s", q.field, wrong[i].Reason))
			case err != nil:
				return err
			case try == mostTries:
				return no(fmt.Errorf("%s: %s", q.field, wrong[i].Reason))
			}
			fmt.Fprintln(p.err, p.warn("! ")+wrong[i].Reason)
		}
	}
	return nil
}
