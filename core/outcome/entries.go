package outcome

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// An Entry is a workspace in the store, with the build that saved it.
type Entry struct {
	Scope   string      `json:"scope" doc:"Project or class that it is of."`
	Request bool        `json:"request,omitempty" doc:"It is that of a change request."`
	Job     string      `json:"job" doc:"Build that saved it."`
	Saved   time.Time   `json:"saved" doc:"When."`
	Size    units.Bytes `json:"size" doc:"Packed."`
	Readers int         `json:"readers" doc:"Jobs that read it."`
	Stale   int         `json:"stale" doc:"Of them, those for whom it was out of date."`
	How     string      `json:"how" enum:"kept,replaced,pushed-out,expired" doc:"How it ended."`
	LivedNs int64       `json:"livedNs" doc:"How long it was there, up to the end of the span."`
}

// mostEntries is how many entries are told.
const mostEntries = 25

// entriesOf tells the entries of a run's window that most jobs read.
func entriesOf(t *sim.Trace) []Entry {
	w := t.World
	var at []int
	for i := range t.Entries {
		if s := t.Entries[i].Saved; s >= w.Plan.Warmup && s < w.Plan.Span {
			at = append(at, i)
		}
	}
	slices.SortStableFunc(at, func(a, b int) int { return cmp.Compare(t.Entries[b].Readers, t.Entries[a].Readers) })
	var out []Entry
	for _, i := range at[:min(len(at), mostEntries)] {
		x := &t.Entries[i]
		end := x.Ended
		if end < 0 {
			end = w.Plan.Span
		}
		out = append(out, Entry{
			Scope: w.Scopes[x.Scope].Name, Request: x.Request, Job: t.Jobs.ID(int(x.Job)), Saved: w.Start.Add(time.Duration(x.Saved)), Size: x.Size,
			Readers: int(x.Readers), Stale: int(x.Stale), How: sim.EntryEndNames[x.How], LivedNs: int64(min(end, w.Plan.Span) - x.Saved),
		})
	}
	return out
}

// workspaceOf says whose workspace a job read, and who read the one that it saved.
func workspaceOf(t *sim.Trace, j int) (says string) {
	if j < len(t.ReadFrom) && t.ReadFrom[j] >= 0 {
		x := &t.Entries[t.ReadFrom[j]]
		says = fmt.Sprintf("It read the workspace that %s had saved at %s; %s read that.", t.Jobs.ID(int(x.Job)), t.World.Clock(x.Saved),
			several(int(x.Readers), "job", "jobs"))
	}
	if i, ok := t.SavedAs[int32(j)]; ok {
		x := &t.Entries[i]
		if says != "" {
			says += " "
		}
		says += fmt.Sprintf("It saved its own at %s, which %s read", t.World.Clock(x.Saved), several(int(x.Readers), "job", "jobs"))
		if x.Stale > 0 {
			says += fmt.Sprintf(", out of date for %s of them", units.Count(int64(x.Stale)))
		}
		switch x.How {
		case sim.Replaced:
			says += ", until a later build saved over it"
		case sim.PushedOut:
			says += ", until the store was full"
		case sim.Expired:
			says += ", until it expired"
		}
		says += "."
	}
	return says
}
