// Package runs does the long work: it takes outcomes that were asked for from
// the queue, simulates them and stores what came out. What was accepted is done,
// whatever happens to the process in between.
package runs

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"sync"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/internal/store"

	"github.com/klauspost/compress/zstd"
)

// A Library looks up documents and recordings and puts worlds together.
type Library struct {
	store *store.Store

	mu     sync.Mutex
	recent []recording // most recently used last
	read   map[string]*document.Document
}

type recording struct {
	digest string
	names  string // the file's own names of columns
	parsed *demand.Recording
}

// recordingsKept bounds how many parsed recordings stay in memory.
const recordingsKept = 3

// NewLibrary returns a library over a store.
func NewLibrary(s *store.Store) *Library { return &Library{store: s} }

// Pin names the newest revisions of everything a scenario needs. Faults say what
// is missing.
func (l *Library) Pin(ctx context.Context, scenario string) (store.Inputs, document.Faults, error) {
	var in store.Inputs
	head, err := l.store.Get(ctx, document.KindScenario, scenario, 0)
	if err != nil {
		return in, nil, err
	}
	docs, faults := document.Parse("Scenario/"+scenario, []byte(head.Text))
	if len(faults) > 0 {
		return in, faults, nil
	}
	d := docs[0]
	spec := &d.Value.(*document.Scenario).Spec
	in.Documents = []store.Ref{{Kind: head.Kind, Name: head.Name, Revision: head.Number}}
	need := func(kind, name, path string) error {
		h, err := l.store.Get(ctx, kind, name, 0)
		if errors.Is(err, store.ErrNotFound) {
			faults = append(faults, d.Fault(path, name, fmt.Sprintf("there is no %s of that name; put it first", kind)))
			return nil
		}
		in.Documents = append(in.Documents, store.Ref{Kind: kind, Name: name, Revision: h.Number})
		if w, ok := recordedIn(h); ok {
			in.Recording = w
		}
		return err
	}
	if err := need(document.KindCluster, spec.Cluster, "spec.cluster"); err != nil {
		return in, nil, err
	}
	if err := need(document.KindWorkload, spec.Workload, "spec.workload"); err != nil {
		return in, nil, err
	}
	for i, t := range spec.Templates {
		if err := need(document.KindPodTemplate, t.Template, fmt.Sprintf("spec.templates[%d].template", i)); err != nil {
			return in, nil, err
		}
	}
	return in, faults, nil
}

// recordedIn returns the digest of the recording that a workload names.
func recordedIn(h store.Head) (digest string, ok bool) {
	if h.Kind != document.KindWorkload {
		return "", false
	}
	docs, faults := document.Parse(h.Name, []byte(h.Text))
	if len(faults) > 0 {
		return "", false
	}
	jobs := docs[0].Value.(*document.Workload).Spec.Jobs
	if jobs == nil {
		return "", false
	}
	return jobs.Digest, true
}

// World puts the pinned inputs together.
func (l *Library) World(ctx context.Context, in store.Inputs) (*sim.World, document.Faults, error) {
	var input sim.Input
	for _, r := range in.Documents {
		h, err := l.store.Get(ctx, r.Kind, r.Name, r.Revision)
		if err != nil {
			return nil, nil, fmt.Errorf("%s/%s revision %d: %w", r.Kind, r.Name, r.Revision, troubled(err))
		}
		text, err := changed(h, in.Changes)
		if err != nil {
			return nil, nil, err
		}
		docs, faults := document.Parse(r.Kind+"/"+r.Name, []byte(text))
		if len(faults) > 0 {
			return nil, faults, nil
		}
		switch r.Kind {
		case document.KindScenario:
			input.Scenario = docs[0]
		case document.KindCluster:
			input.Cluster = docs[0]
		case document.KindWorkload:
			input.Workload = docs[0]
		default:
			input.Templates = append(input.Templates, docs[0])
		}
	}
	if in.Recording != "" {
		jobs := document.Recorded{Digest: in.Recording}
		if w := input.Workload.Value.(*document.Workload); w.Spec.Jobs != nil {
			jobs.Columns = w.Spec.Jobs.Columns
		}
		rec, err := l.Recording(ctx, &jobs)
		if err != nil {
			return nil, nil, fmt.Errorf("recorded jobs %.12s: %w", in.Recording, err)
		}
		input.Recording = rec
	}
	w, faults := sim.Assemble(input)
	if len(faults) > 0 {
		return nil, faults, nil
	}
	if in.Seed != nil {
		w.Plan.Seed = *in.Seed
	}
	if in.Repeats != nil {
		w.Plan.Repeats = *in.Repeats
	}
	return w, nil, nil
}

// changed returns a document's text with the changes that are meant for it.
func changed(h store.Head, changes []store.Changes) (string, error) {
	text := h.Text
	for _, c := range changes {
		if c.Kind != h.Kind || c.Name != h.Name {
			continue
		}
		var err error
		if text, err = document.Apply(text, c.Edits); err != nil {
			return "", fmt.Errorf("%w in %s %s: %w", ErrChanges, c.Kind, c.Name, err)
		}
	}
	return text, nil
}

// ErrChanges says that changes cannot be made.
var ErrChanges = errors.New("changes cannot be made")

// Changed returns a pinned document as it was simulated.
func (l *Library) Changed(ctx context.Context, r store.Ref, in store.Inputs) (*document.Document, error) {
	h, err := l.store.Get(ctx, r.Kind, r.Name, r.Revision)
	if err != nil {
		return nil, err
	}
	text, err := changed(h, in.Changes)
	if err != nil {
		return nil, err
	}
	docs, faults := document.Parse(r.Name, []byte(text))
	if len(faults) > 0 {
		return nil, faults
	}
	return docs[0], nil
}

// Recording returns a stored recording, parsed, with the names of columns that
// its workload gives.
func (l *Library) Recording(ctx context.Context, jobs *document.Recorded) (*demand.Recording, error) {
	digest, names := jobs.Digest, fmt.Sprint(jobs.Columns)
	l.mu.Lock()
	defer l.mu.Unlock()
	for i, r := range l.recent {
		if r.digest == digest && r.names == names {
			l.recent = append(append(l.recent[:i:i], l.recent[i+1:]...), r)
			return r.parsed, nil
		}
	}
	stored, err := l.store.GetRecording(ctx, digest)
	if err != nil {
		return nil, troubled(err)
	}
	data, err := unpack(stored.Data)
	if err != nil {
		return nil, err
	}
	parsed, err := demand.Parse(data, jobs.Columns)
	if err != nil {
		return nil, err
	}
	if l.recent = append(l.recent, recording{digest, names, parsed}); len(l.recent) > recordingsKept {
		l.recent = l.recent[1:]
	}
	return parsed, nil
}

// BadRows is the error of a recording with rows that were refused.
type BadRows struct{ Recording *demand.Recording }

// Error counts the rows.
func (b BadRows) Error() string {
	return fmt.Sprintf("%d rows were refused", b.Recording.Bads)
}

// Keep stores a recording under its digest. columns are the file's own names of
// columns, nil for ours. With skipBad the good rows are
// taken and the bad ones left out; otherwise bad rows are an error.
func (l *Library) Keep(ctx context.Context, data []byte, columns map[string]string, skipBad bool) (digest string, r *demand.Recording, err error) {
	if r, err = demand.Parse(data, columns); err != nil {
		return "", nil, err
	}
	if r.Bads > 0 && !skipBad {
		return "", nil, BadRows{r}
	}
	if r.Len() == 0 {
		return "", nil, errors.New("no jobs; after the header each line is one job")
	}
	digest = Digest(data)
	return digest, r, l.store.PutRecording(ctx, store.Recording{Digest: digest, Jobs: r.Len(), Data: pack(data)})
}

// Digest names content by its sha256.
func Digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// pack compresses a record.
func pack(data []byte) []byte {
	w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		panic("runs: " + err.Error()) // only for impossible options
	}
	return w.EncodeAll(data, nil)
}

// maxUnpacked bounds a record after decompression.
const maxUnpacked = 1 << 30

// unpack decompresses a record.
func unpack(data []byte) ([]byte, error) {
	r, err := zstd.NewReader(bytes.NewReader(data), zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(maxUnpacked))
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}
