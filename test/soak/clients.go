package soak

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyphor/client"
	"tachyphor/internal/standin/jobs"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

// work is what clients do while things break, and what was acknowledged to them.
type work struct {
	c     *client.Client
	token string // for events
	stop  chan struct{}
	all   sync.WaitGroup

	mu        sync.Mutex
	tried     int                       // changes of documents that were asked for
	put       map[string]map[int]string // by name and revision: what was acknowledged
	asked     map[uint64]int            // simulations by number: their world
	sent      map[string]bool           // runs of jobs whose every event was acknowledged
	reads     []time.Duration           // that were answered
	failed    int                       // requests that came to nothing
	surprises []string
}

// variants are how many worlds there are to simulate.
const variants = 3

// scenario is the text of a scenario of a world.
func scenario(name string, seed int) string {
	return fmt.Sprintf("apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: %s}\nspec: {cluster: c, workload: w, "+
		"templates: [{template: t}], run: {seed: %d, span: 1d, repeats: 2}}\n", name, seed)
}

// alone is what one world is made of.
func alone(v int) string {
	text := worlds.Small("", `, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 30}]}`, fmt.Sprintf("{seed: %d, span: 1d, repeats: 2}", v+1))
	return strings.Replace(text, "{name: s}", fmt.Sprintf("{name: world-%d}", v), 1)
}

// world is all that is simulated.
func world() string {
	text := alone(0)
	for v := 1; v < variants; v++ {
		text += "---\n" + scenario(fmt.Sprintf("world-%d", v), v+1)
	}
	return text
}

// start has clients work until end: some change documents, some tell of jobs, some simulate, some read.
func start(c *client.Client, token string) *work {
	w := &work{
		c: c, token: token, stop: make(chan struct{}), put: map[string]map[int]string{}, asked: map[uint64]int{}, sent: map[string]bool{},
	}
	for n := range 3 {
		w.all.Go(func() { w.write(fmt.Sprintf("doc-%d", n)) })
	}
	w.all.Go(w.send)
	w.all.Go(w.simulate)
	for range 2 {
		w.all.Go(w.read)
	}
	return w
}

// end ends the work, and waits for that.
func (w *work) end() {
	close(w.stop)
	w.all.Wait()
}

// going tells whether to go on, after a pause.
func (w *work) going(pause time.Duration) bool {
	select {
	case <-w.stop:
		return false
	case <-time.After(pause):
		return true
	}
}

// brief is a context for one request.
func brief() (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.Background(), 15*time.Second)
}

// surprising notes an error that is not one of something that is broken on purpose.
func (w *work) surprising(what string, err error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.failed++
	var p *wire.Problem
	if errors.As(err, &p) && p.Status != 503 && p.Status != 507 && p.Status != 429 && p.Status != 401 && p.Status != 408 {
		w.surprises = append(w.surprises, fmt.Sprintf("%s: %v", what, err))
	}
	if errors.As(err, &p) && p.Status == 401 {
		w.surprises = append(w.surprises, fmt.Sprintf("%s: signed out: %v", what, err))
	}
}

// write changes a document again and again.
func (w *work) write(name string) {
	for seed := 1; w.going(time.Duration(5+rand.IntN(30)) * time.Millisecond); seed++ {
		text := scenario(name, seed)
		w.mu.Lock()
		w.tried++
		w.mu.Unlock()
		ctx, cancel := brief()
		stored, err := w.c.Put(ctx, "", []byte(text), false)
		cancel()
		if err != nil {
			w.surprising("a change", err)
			continue
		}
		w.mu.Lock()
		if w.put[name] == nil {
			w.put[name] = map[int]string{}
		}
		if old, ok := w.put[name][stored[0].Revision]; ok && old != text {
			w.surprises = append(w.surprises, fmt.Sprintf("revision %d of %s was given to two", stored[0].Revision, name))
		}
		w.put[name][stored[0].Revision] = text
		w.mu.Unlock()
	}
}

// send tells of jobs, every event again until it is acknowledged.
func (w *work) send() {
	for n := 0; w.going(time.Duration(20+rand.IntN(100)) * time.Millisecond); n++ {
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
		go func() {
			select {
			case <-w.stop:
				time.Sleep(20 * time.Second) // what is on its way may still come
				cancel()
			case <-ctx.Done():
			}
		}()
		list := happened(n)
		as := []jobs.Protocol{jobs.AsEvents, jobs.AsSpans}[n%2]
		s, err := jobs.Send(ctx, list, jobs.Sending{Address: w.c.Address, Token: w.token, As: as, Twice: 0.2})
		cancel()
		if err != nil {
			w.surprising("events", err)
			continue
		}
		w.mu.Lock()
		if s.Steps == len(list) {
			w.sent[list[0].ID] = true
		}
		w.mu.Unlock()
	}
}

// happened is what happened to a job.
func happened(n int) []jobs.Happening {
	at := time.Date(2026, 11, 2, 8, 0, 0, 0, time.UTC).Add(time.Duration(n) * time.Second)
	h := jobs.Happening{ID: fmt.Sprintf("soak-%d", n), Project: "tide-charts", Class: "compile", Queued: at, Started: at.Add(20 * time.Second), Result: "success"}
	var out []jobs.Happening
	for step, when := range map[jobs.Step]time.Time{jobs.Queued: at, jobs.Started: h.Started, jobs.Finished: at.Add(time.Minute)} {
		h.Step, h.At = step, when
		out = append(out, h)
	}
	slices.SortFunc(out, func(a, b jobs.Happening) int { return a.At.Compare(b.At) })
	return out
}

// simulate asks for simulations, a few at a time.
func (w *work) simulate() {
	for n := 0; w.going(time.Duration(100+rand.IntN(200)) * time.Millisecond); n++ {
		ctx, cancel := brief()
		o, err := w.c.Simulate(ctx, fmt.Sprintf("world-%d", n%variants), wire.Run{})
		cancel()
		if err != nil {
			w.surprising("a simulation", err)
			continue
		}
		w.mu.Lock()
		w.asked[o.ID] = n % variants
		w.mu.Unlock()
	}
}

// read reads, and notes how long that takes when it is answered.
func (w *work) read() {
	for w.going(10 * time.Millisecond) {
		ctx, cancel := brief()
		began := time.Now()
		_, err := w.c.List(ctx, "")
		took := time.Since(began)
		cancel()
		if err != nil {
			w.surprising("a read", err)
			continue
		}
		w.mu.Lock()
		w.reads = append(w.reads, took)
		w.mu.Unlock()
	}
}

// A verdict is what came of holding the records against what was acknowledged.
type verdict struct {
	Changes, Runs, Simulations int // that were acknowledged
	Lost, Doubled              int
	Audited                    bool // the audit has a line for each change
	Surprises                  []string
}

// judge holds the records against what was acknowledged; digests are those of the worlds.
func (w *work) judge(c *client.Client, digests []string) (v verdict, err error) {
	ctx := context.Background()
	w.mu.Lock()
	defer w.mu.Unlock()
	v.Surprises = w.surprises
	note := func(format string, args ...any) { v.Surprises = append(v.Surprises, fmt.Sprintf(format, args...)) }
	total := 0
	for name, revisions := range w.put {
		d, err := c.Get(ctx, "Scenario", name, 0)
		if err != nil {
			return v, err
		}
		total += d.Revision
		for number, text := range revisions {
			v.Changes++
			has, err := c.Get(ctx, "Scenario", name, number)
			if err != nil || has.Text != text {
				v.Lost++
				note("revision %d of %s is lost: %v", number, name, err)
			}
		}
	}
	if total > w.tried {
		v.Doubled += total - w.tried
		note("%d revisions of %d changes that were tried", total, w.tried)
	}
	audited := 0
	for before := ""; ; {
		page, err := c.Audit(ctx, client.WhichDeeds{What: "put-documents"}, before, 500)
		if err != nil {
			return v, err
		}
		for _, d := range page.Items {
			if strings.HasPrefix(d.Said, "Scenario/doc-") {
				audited++
			}
		}
		if before = page.Next; before == "" {
			break
		}
	}
	if v.Audited = audited == total; !v.Audited {
		note("%d lines of the audit for %d changes", audited, total)
	}
	for id, world := range w.asked {
		v.Simulations++
		end, err := c.Watch(ctx, id, func(wire.WorkBrief) {})
		if err != nil {
			return v, err
		}
		if end.State != wire.Done || end.Simulation.Digest != digests[world] {
			v.Lost++
			note("simulation %d is %s %s", id, end.State, end.Error)
		}
	}
	var log strings.Builder
	if err := c.LiveLog(ctx, client.Stretch{}, "csv", &log); err != nil {
		return v, err
	}
	for id := range w.sent {
		v.Runs++
		switch strings.Count(log.String(), "\n"+id+",") {
		case 0:
			v.Lost++
			note("run %s is lost", id)
		case 1:
		default:
			v.Doubled++
			note("run %s is there twice", id)
		}
	}
	return v, nil
}
