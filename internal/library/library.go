// Package library looks up what is stored, as the core wants it: documents, recorded jobs
// and usage are read once and kept, scenarios are pinned to revisions and put together.
package library

import (
	"context"
	"fmt"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
	"tachyphor/internal/kept"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// A Library looks up documents and recordings and puts worlds together. What does not
// change, a revision's document and a recording's jobs, is read once and kept.
type Library struct {
	store      *store.Store
	folder     string // for files on their way; empty: the system's
	documents  *kept.Kept[*document.Document]
	recordings *kept.Kept[*demand.Recording]
	weeks      *kept.Kept[map[string]float64] // jobs a week by class, of workloads
}

// documentBytes bounds the texts of documents that are kept read.
const documentBytes = 64 << 20

// NewLibrary returns a library over a store, which puts files on their way into a folder;
// empty: the system's.
func NewLibrary(s *store.Store, folder string) *Library {
	return &Library{
		store: s, folder: folder,
		documents:  kept.New(documentBytes, 4, func(d *document.Document) int { return 1000 + len(d.Text) }),
		recordings: kept.New(recordedJobs, 2, (*demand.Recording).Len),
		weeks:      kept.New(mostShelved, 2, func(map[string]float64) int { return 1 }),
	}
}

// keyOf names the text of a revision.
func keyOf(h *store.Head) string {
	edited := int64(0)
	if h.Edited != nil {
		edited = h.Edited.UnixMicro()
	}
	return fmt.Sprintf("%s/%s/%d/%s/%d", h.Kind, h.Name, h.Number, h.Digest, edited)
}

// read returns the documents of heads, nil where one was stored by an earlier version and
// is not readable any more; faults are of those. Texts are asked for where they are not
// kept, all at once.
func (l *Library) read(ctx context.Context, heads []store.Head) ([]*document.Document, document.Faults, error) {
	out := make([]*document.Document, len(heads))
	var missing []*store.Head
	var at []int
	for i := range heads {
		if d, ok := l.documents.Find(keyOf(&heads[i])); ok {
			out[i] = d
			continue
		}
		missing, at = append(missing, &heads[i]), append(at, i)
	}
	var without []*store.Head
	for _, h := range missing {
		if h.Text == "" {
			without = append(without, h)
		}
	}
	if err := l.store.Read(ctx, without); err != nil {
		return nil, nil, Troubled(err)
	}
	var all document.Faults
	for i, h := range missing {
		docs, faults := document.Parse(h.Kind+"/"+h.Name, []byte(h.Text))
		if len(faults) > 0 || len(docs) != 1 {
			all = append(all, faults...)
			continue
		}
		out[at[i]] = docs[0]
		l.documents.Put(keyOf(h), docs[0])
	}
	return out, all, nil
}

// Read returns the documents of heads, nil where one is not readable any more.
func (l *Library) Read(ctx context.Context, heads []store.Head) ([]*document.Document, error) {
	docs, _, err := l.read(ctx, heads)
	return docs, err
}

// A Pinned is a scenario with the revisions of everything that it needs, or what is
// missing.
type Pinned struct {
	Scenario *document.Document // nil when it is not readable any more
	Inputs   wire.Inputs
	Faults   document.Faults
}

// Pin names the newest revisions of everything a scenario needs. Faults say what
// is missing.
func (l *Library) Pin(ctx context.Context, scenario string) (wire.Inputs, document.Faults, error) {
	head, err := l.store.Get(ctx, document.KindScenario, scenario, 0)
	if err != nil {
		return wire.Inputs{}, nil, err
	}
	all, err := l.PinAll(ctx, []store.Head{head})
	if err != nil {
		return wire.Inputs{}, nil, err
	}
	return all[0].Inputs, all[0].Faults, nil
}

// PinAll is Pin for many scenarios at once, with as many queries as for one.
func (l *Library) PinAll(ctx context.Context, scenarios []store.Head) ([]Pinned, error) {
	docs, err := l.Read(ctx, scenarios)
	if err != nil {
		return nil, err
	}
	out, err := l.pinDocuments(ctx, docs)
	if err != nil {
		return nil, err
	}
	for i, h := range scenarios {
		if out[i].Scenario == nil {
			out[i].Faults = document.Faults{{File: "Scenario/" + h.Name, Expected: "the stored document can no longer be read; put it again"}}
			continue
		}
		out[i].Inputs.Documents[0].Revision = h.Number
	}
	return out, nil
}

// PinText names the newest revisions of everything that a scenario needs which need not be stored.
func (l *Library) PinText(ctx context.Context, scenario *document.Document) (Pinned, error) {
	all, err := l.pinDocuments(ctx, []*document.Document{scenario})
	if err != nil {
		return Pinned{}, err
	}
	return all[0], nil
}

// pinDocuments is PinAll for scenarios at hand, of which some may be nil; their own revisions are left open.
func (l *Library) pinDocuments(ctx context.Context, docs []*document.Document) ([]Pinned, error) {
	out := make([]Pinned, len(docs))
	seen := map[shelf.Name]bool{}
	var names []shelf.Name
	for i, d := range docs {
		if out[i].Scenario = d; d == nil {
			continue
		}
		for _, n := range shelf.Needs(d) {
			if !seen[n.Name] {
				seen[n.Name], names = true, append(names, n.Name)
			}
		}
	}
	found, err := l.store.Newest(ctx, names)
	if err != nil {
		return nil, err
	}
	heads := make(map[shelf.Name]store.Head, len(found))
	var workloads []store.Head
	for _, h := range found {
		heads[shelf.Name{Kind: h.Kind, Name: h.Name}] = h
		if h.Kind == document.KindWorkload {
			workloads = append(workloads, h)
		}
	}
	read, err := l.Read(ctx, workloads)
	if err != nil {
		return nil, err
	}
	recorded := make(map[string]string, len(workloads)) // digest by workload
	for i, d := range read {
		if d == nil {
			continue
		}
		if jobs := d.Value.(*document.Workload).Spec.Jobs; jobs != nil {
			recorded[workloads[i].Name] = jobs.Digest
		}
	}
	for i := range out {
		p := &out[i]
		if p.Scenario == nil {
			continue
		}
		p.Inputs.Documents = []wire.Ref{{Kind: document.KindScenario, Name: p.Scenario.Name}}
		for _, n := range shelf.Needs(p.Scenario) {
			there, ok := heads[n.Name]
			if !ok {
				p.Faults = append(p.Faults, p.Scenario.Fault(n.Path, n.Name.Name, fmt.Sprintf("there is no %s of that name; put it first", n.Kind)))
				continue
			}
			p.Inputs.Documents = append(p.Inputs.Documents, wire.Ref{Kind: n.Kind, Name: n.Name.Name, Revision: there.Number})
			if n.Kind == document.KindWorkload {
				p.Inputs.Recording = recorded[n.Name.Name]
			}
		}
	}
	return out, nil
}

// PinDemand names the newest revision of a workload.
func (l *Library) PinDemand(ctx context.Context, name string) (out wire.PinnedDemand, err error) {
	head, err := l.store.Get(ctx, document.KindWorkload, name, 0)
	if err != nil {
		return out, err
	}
	docs, err := l.Read(ctx, []store.Head{head})
	if err != nil {
		return out, err
	}
	if docs[0] == nil {
		return out, fmt.Errorf("the stored Workload %s can no longer be read; put it again", name)
	}
	out.Ref = wire.Ref{Kind: head.Kind, Name: head.Name, Revision: head.Number}
	if jobs := docs[0].Value.(*document.Workload).Spec.Jobs; jobs != nil {
		out.Recording = jobs.Digest
	}
	return out, nil
}

// Demand returns a pinned workload with its recorded jobs; nil: it has none.
func (l *Library) Demand(ctx context.Context, d wire.PinnedDemand) (*document.Document, *demand.Recording, error) {
	all, faults, err := l.pinned(ctx, wire.Inputs{Documents: []wire.Ref{d.Ref}})
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return nil, nil, err
	}
	workload := all.All()[0]
	if d.Recording == "" {
		return workload, nil, nil
	}
	jobs, err := l.recorded(ctx, workload, d.Recording)
	return workload, jobs, err
}

// recorded returns recorded jobs by their digest, with the columns that a workload names.
func (l *Library) recorded(ctx context.Context, workload *document.Document, digest string) (*demand.Recording, error) {
	recorded := document.Recorded{Digest: digest}
	if jobs := workload.Value.(*document.Workload).Spec.Jobs; jobs != nil {
		recorded.Columns = jobs.Columns
	}
	rec, err := l.Recording(ctx, &recorded)
	if err != nil {
		return nil, fmt.Errorf("recorded jobs %.12s: %w", digest, err)
	}
	return rec, nil
}

// pinned returns the pinned documents, the scenario first, with the changes that are made
// first.
func (l *Library) pinned(ctx context.Context, in wire.Inputs) (shelf.Shelf, document.Faults, error) {
	found, err := l.store.Revisions(ctx, in.Documents)
	if err != nil {
		return shelf.Shelf{}, nil, Troubled(err)
	}
	heads := make([]store.Head, len(in.Documents))
	for i, r := range in.Documents {
		j := slices.IndexFunc(found, func(h store.Head) bool { return h.Kind == r.Kind && h.Name == r.Name && h.Number == r.Revision })
		if j < 0 {
			return shelf.Shelf{}, nil, fmt.Errorf("%s/%s revision %d: %w", r.Kind, r.Name, r.Revision, store.ErrNotFound)
		}
		heads[i] = found[j]
	}
	docs, faults, err := l.read(ctx, heads)
	if err != nil || len(faults) > 0 {
		return shelf.Shelf{}, faults, err
	}
	all := shelf.Of(docs...)
	return all.With(in.Changes)
}

// World puts the pinned inputs together.
func (l *Library) World(ctx context.Context, in wire.Inputs) (*world.World, document.Faults, error) {
	return l.world(ctx, in, true)
}

// Design is World without its jobs: what agents and nodes there are. It cannot be run.
func (l *Library) Design(ctx context.Context, in wire.Inputs) (*world.World, document.Faults, error) {
	return l.world(ctx, in, false)
}

func (l *Library) world(ctx context.Context, in wire.Inputs, jobs bool) (*world.World, document.Faults, error) {
	input, faults, err := l.Input(ctx, in, jobs)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	w, faults := world.Assemble(input)
	if len(faults) > 0 {
		return nil, faults, nil
	}
	Planned(in, w)
	return w, nil, nil
}

// Planned changes how a world is run as inputs say.
func Planned(in wire.Inputs, w *world.World) {
	if in.Seed != nil {
		w.Plan.Seed = *in.Seed
	}
	if in.Repeats != nil {
		w.Plan.Repeats = *in.Repeats
	}
}

// Input is what the pinned inputs name, of which a world is put together, with the recorded
// jobs or without.
func (l *Library) Input(ctx context.Context, in wire.Inputs, jobs bool) (world.Input, document.Faults, error) {
	all, faults, err := l.pinned(ctx, in)
	if err != nil || len(faults) > 0 {
		return world.Input{}, faults, err
	}
	return l.inputOf(ctx, all, in.Recording, jobs)
}

// InputOf is Input of a scenario at hand and what was pinned for it.
func (l *Library) InputOf(ctx context.Context, p Pinned, jobs bool) (world.Input, document.Faults, error) {
	named := p.Inputs
	named.Documents = named.Documents[1:]
	rest, faults, err := l.pinned(ctx, named)
	if err != nil || len(faults) > 0 {
		return world.Input{}, faults, err
	}
	return l.inputOf(ctx, shelf.Of(append([]*document.Document{p.Scenario}, rest.All()...)...), p.Inputs.Recording, jobs)
}

func (l *Library) inputOf(ctx context.Context, all shelf.Shelf, recording string, jobs bool) (world.Input, document.Faults, error) {
	named, faults := all.Whole()
	if len(faults) > 0 {
		return world.Input{}, faults, nil
	}
	input := world.Input{Named: named, Jobless: !jobs}
	if recording != "" && jobs {
		var err error
		if input.Recording, err = l.recorded(ctx, input.Workload, recording); err != nil {
			return input, nil, err
		}
	}
	return input, nil, nil
}

// Pinned returns the pinned documents as they are simulated, in order.
func (l *Library) Pinned(ctx context.Context, in wire.Inputs) ([]*document.Document, error) {
	all, faults, err := l.pinned(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	return all.All(), err
}
