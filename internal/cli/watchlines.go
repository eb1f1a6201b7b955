package cli

import (
	"fmt"
	"strings"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/wire"
)

// log writes a line for each change.
type log struct {
	p       *program
	usual   *outcome.UsualWeek
	was     map[string]*told // by pod
	summed  string
	away    bool
	started bool
}

// told is what was told of an agent.
type told struct {
	phases []string
	stuck  string
	gone   bool
}

func (l *log) most() int { return 1 << 20 }

func (l *log) show(now wire.Watched) {
	at := now.At.UTC().Format(time.RFC3339)
	if away := now.Away != ""; away != l.away {
		l.away = away
		says := "the cluster answers again"
		if away {
			says = "the cluster does not answer: " + now.Away
		}
		fmt.Fprintln(l.p.out, at, says)
	}
	if now.Away != "" {
		return
	}
	for _, b := range now.Blind {
		if !l.started {
			fmt.Fprintln(l.p.out, at, "may not be read:", b)
		}
	}
	there := map[string]bool{}
	for i := len(now.List) - 1; i >= 0; i-- { // the oldest first
		a := &now.List[i]
		key := a.Namespace + "/" + a.Pod
		there[key] = true
		l.agent(key, a, now.At)
	}
	for key := range l.was {
		if !there[key] {
			delete(l.was, key)
		}
	}
	sum := l.p.counts(now, l.usual)
	if sum != l.summed {
		fmt.Fprintln(l.p.out, at, sum)
		l.summed = sum
	}
	l.started = true
}

// agent tells what is new of one: each phase with when it began, also those that began and ended between
// two looks. Of one that was there before the first look, where it is.
func (l *log) agent(key string, a *wire.WatchedAgent, now time.Time) {
	was, known := l.was[key]
	if !known {
		was = new(told)
		l.was[key] = was
		for i := 0; i < len(a.Stretches)-1 && !l.started; i++ {
			was.phases = append(was.phases, a.Stretches[i].Phase)
		}
	}
	for i, x := range a.Stretches {
		if i < len(was.phases) && was.phases[i] == x.Phase {
			continue
		}
		was.phases = append(was.phases[:i], x.Phase)
		is := x.Phase
		if x.Phase == "work" && a.Node != "" {
			is += " on " + a.Node
		}
		fmt.Fprintln(l.p.out, a.Began.Add(time.Duration(x.From)).Format(time.RFC3339), key, is)
	}
	stuck := ""
	if a.Stuck {
		stuck = strings.TrimSpace(a.Says + " " + a.Do)
	}
	switch gone := a.Phase == "gone"; {
	case stuck != was.stuck && stuck != "":
		fmt.Fprintln(l.p.out, now.UTC().Format(time.RFC3339), key, "stuck:", stuck)
	case gone && !was.gone:
		fmt.Fprintln(l.p.out, now.UTC().Format(time.RFC3339), key, "gone")
		was.gone = true
	case stuck == "" && was.stuck != "":
		fmt.Fprintln(l.p.out, now.UTC().Format(time.RFC3339), key, "goes on")
	}
	was.stuck = stuck
}

func (l *log) end() {}
