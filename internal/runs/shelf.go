package runs

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/internal/store"
)

// shelfPage is how many documents are read from the store at a time.
const shelfPage = 200

// mostShelved bounds how many documents a shelf holds.
const mostShelved = 20_000

// Shelf puts everything that is stored on a shelf for reviewing templates; extra
// documents take the place of stored ones of the same name. Documents that were
// parsed before are not parsed again.
func (l *Library) Shelf(ctx context.Context, extra document.Reading) (*review.Shelf, error) {
	shelf := &review.Shelf{
		Others: extra.Others, PerWeek: map[string]map[string]float64{}, Changes: map[string]review.Change{}, Now: time.Now(),
	}
	seen := map[string]bool{}
	for _, d := range extra.Documents {
		shelf.Documents = append(shelf.Documents, d)
		seen[d.Kind+"/"+d.Name] = true
	}
	for kind, name := "", ""; ; {
		page, err := l.store.List(ctx, "", kind, name, shelfPage)
		if err != nil {
			return nil, err
		}
		for _, h := range page {
			kind, name = h.Kind, h.Name
			if seen[h.Kind+"/"+h.Name] {
				continue
			}
			d, err := l.parsed(h)
			if err != nil {
				continue // stored by an earlier version, and not readable any more
			}
			shelf.Documents = append(shelf.Documents, d)
			if h.Kind == document.KindPodTemplate && h.Number > 1 {
				shelf.Changes[h.Name] = review.Change{Revision: h.Number, At: h.At}
			}
			if len(shelf.Documents) > mostShelved {
				return nil, fmt.Errorf("more than %d documents", mostShelved)
			}
		}
		if len(page) < shelfPage {
			break
		}
	}
	for _, d := range shelf.Documents {
		w, ok := d.Value.(*document.Workload)
		if !ok {
			continue
		}
		var r *demand.Recording
		if w.Spec.Jobs != nil {
			var err error
			r, err = l.Recording(ctx, w.Spec.Jobs)
			if errors.Is(err, store.ErrNotFound) { // sent to be checked, its log not stored
				continue
			}
			if err != nil {
				return nil, err
			}
		}
		shelf.PerWeek[d.Name] = demand.PerWeek(&w.Spec, r)
	}
	return shelf, nil
}

// parsed reads a stored document, once for each revision.
func (l *Library) parsed(h store.Head) (*document.Document, error) {
	key := fmt.Sprintf("%s/%s/%d/%s", h.Kind, h.Name, h.Number, h.Digest)
	l.mu.Lock()
	d, ok := l.read[key]
	l.mu.Unlock()
	if ok && d.Text == h.Text {
		return d, nil
	}
	docs, faults := document.Parse(h.Kind+"/"+h.Name, []byte(h.Text))
	if len(faults) > 0 || len(docs) != 1 {
		return nil, faults
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.read) >= mostShelved || l.read == nil {
		l.read = map[string]*document.Document{}
	}
	l.read[key] = docs[0]
	return docs[0], nil
}
