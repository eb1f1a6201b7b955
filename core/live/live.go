// Package live holds jobs while they happen: what messages say of runs, put together whatever
// their order and however often they come, and the log that they make.
package live

import (
	"cmp"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"
)

// Kinds of runs. A pipeline is no job where runs of others say that they are parts of it.
const (
	Pipeline = "pipeline"
	Task     = "task"
	Build    = "build"
)

// What messages tell of a run beside its moments, by the roles of a job log's columns.
const (
	Name    = "name"
	Class   = "class"
	Project = "project"
	Wants   = "wants"
	Branch  = "branch"
	Change  = "change"
	Result  = "result"
	After   = "after"
	Attempt = "attempt"
	Cache   = "cache"
	Cores   = "cores"
	Memory  = "memory"
	Disk    = "disk"
	Pod     = "pod"
	Phases  = "phases"
)

// Facts lists them, in the order of a log's columns.
var Facts = []string{Name, Class, Project, Wants, Branch, Change, Result, After, Attempt, Cache, Cores, Memory, Disk, Pod, Phases}

// A RunID names a run: its id means something to its source alone.
type RunID struct {
	Source string `json:"source"`
	ID     string `json:"id"`
}

// A Message is what one message says of one run.
type Message struct {
	// Key tells the message from all others, and is the same when it is sent again.
	Key    string
	Run    RunID
	Kind   string
	Parent RunID     // the run that it is a part of; zero: none that is known
	At     time.Time // when what it says happened
	// When the run asked for an agent, began and was over; zero: the message does not say.
	Queued, Started, Ended time.Time
	Facts                  map[string]string
}

// Bounds of messages.
const (
	MostText = 255              // bytes of an id, a source and a fact
	Ahead    = 24 * time.Hour   // how far a sender's clock may be ahead
	earliest = 24 * time.Hour   // after 1970
	mostKey  = 2*MostText + 100 // bytes of a key
)

// Check tells what is wrong with a message that is taken in at a moment.
func (m *Message) Check(now time.Time) error {
	for _, x := range []struct{ what, is string }{
		{"the run's id", m.Run.ID}, {"the run's source", m.Run.Source}, {"the parent's id", m.Parent.ID}, {"the parent's source", m.Parent.Source},
	} {
		if err := text(x.what, x.is); err != nil {
			return err
		}
	}
	for name, is := range m.Facts {
		if err := text(name, is); err != nil {
			return err
		}
	}
	switch {
	case m.Run.ID == "":
		return errors.New("the run has no id")
	case m.Key == "" || len(m.Key) > mostKey:
		return fmt.Errorf("the message's id and source have %d bytes together; expected 1 to %d", len(m.Key), mostKey)
	case m.Queued.IsZero() && m.Started.IsZero() && m.Ended.IsZero():
		return errors.New("it says nothing of when the run was queued, started or ended")
	}
	for _, t := range []time.Time{m.At, m.Queued, m.Started, m.Ended} {
		if t.IsZero() {
			continue
		}
		if t.Unix() < int64(earliest/time.Second) {
			return fmt.Errorf("its time is %s; look for a clock that was never set, or another unit", t.UTC().Format(time.RFC3339))
		}
		if t.After(now.Add(Ahead)) {
			return fmt.Errorf("its time %s is more than a day ahead of the service's clock (%s)", t.UTC().Format(time.RFC3339),
				now.UTC().Format(time.RFC3339))
		}
	}
	return nil
}

// text checks a text that a message carries.
func text(what, is string) error {
	switch {
	case len(is) > MostText:
		return fmt.Errorf("%s has %d bytes; there may be %d", what, len(is), MostText)
	case !utf8.ValidString(is):
		return fmt.Errorf("%s is not UTF-8", what)
	case strings.ContainsFunc(is, unicode.IsControl):
		return fmt.Errorf("%s has control characters in it", what)
	}
	return nil
}

// A Fact is what was told last of a run, and when.
type Fact struct {
	Is string    `json:"is"`
	At time.Time `json:"at"`
}

// A Run is all that messages told of one run.
type Run struct {
	RunID
	Kind    string          `json:"kind,omitempty"`
	Parent  RunID           `json:"parent,omitzero"`
	Queued  time.Time       `json:"queued,omitzero"`
	Started time.Time       `json:"started,omitzero"`
	Ended   time.Time       `json:"ended,omitzero"`
	Heard   time.Time       `json:"heard,omitzero"` // the latest moment that a message tells
	Facts   map[string]Fact `json:"facts,omitempty"`
}

// Take adds what a message says. Runs come out the same whatever the order in which their
// messages are taken, and a message that is taken twice changes nothing: moments at which a run
// was queued and started are the earliest that are told, that of its end the latest; of facts
// that contradict each other, the one holds that is told of the later moment.
func (r *Run) Take(m *Message) {
	r.RunID = m.Run
	r.Kind = max(r.Kind, m.Kind)
	if m.Parent.ID != "" && (r.Parent.ID == "" || m.Parent.compare(r.Parent) > 0) {
		r.Parent = m.Parent
	}
	r.Queued, r.Started = first(r.Queued, m.Queued), first(r.Started, m.Started)
	r.Ended, r.Heard = last(r.Ended, m.Ended), last(r.Heard, m.At)
	for name, is := range m.Facts {
		if is == "" {
			continue
		}
		if r.Facts == nil {
			r.Facts = map[string]Fact{}
		}
		old, told := r.Facts[name]
		if c := m.At.Compare(old.At); !told || c > 0 || c == 0 && is > old.Is {
			r.Facts[name] = Fact{is, m.At}
		}
	}
}

func (x RunID) compare(y RunID) int {
	return cmp.Or(cmp.Compare(x.Source, y.Source), cmp.Compare(x.ID, y.ID))
}

// first is the earlier of two moments that are known.
func first(a, b time.Time) time.Time {
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}

func last(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// Came is when a run came, as far as is known: when it was queued, else when it began, else
// when it ended.
func (r *Run) Came() time.Time {
	for _, t := range []time.Time{r.Queued, r.Started, r.Ended} {
		if !t.IsZero() {
			return t
		}
	}
	return r.Heard
}

// is returns a fact of a run, "" when it was not told.
func (r *Run) is(fact string) string { return r.Facts[fact].Is }
