package library

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/internal/store"
)

// mostShelved bounds how many documents a shelf holds.
const mostShelved = 20_000

// Shelf puts everything that is stored on a shelf for reviewing templates; extra
// documents take the place of stored ones of the same name. Documents that were
// parsed before are not parsed again.
func (l *Library) Shelf(ctx context.Context, extra document.Reading) (*review.Shelf, error) {
	shelf := &review.Shelf{
		Others: extra.Others, PerWeek: map[string]map[string]float64{}, Changes: map[string]review.Change{}, Now: time.Now(),
	}
	for _, d := range extra.Documents {
		shelf.Put(d)
	}
	heads, err := l.store.List(ctx, "", "", "", mostShelved+1)
	if err != nil {
		return nil, err
	}
	heads = slices.DeleteFunc(heads, func(h store.Head) bool { return shelf.Find(h.Kind, h.Name) != nil })
	if len(heads)+len(extra.Documents) > mostShelved {
		return nil, fmt.Errorf("more than %d documents", mostShelved)
	}
	docs, err := l.Read(ctx, heads)
	if err != nil {
		return nil, err
	}
	revisions := map[*document.Document]string{} // what is known of stored ones is known by their revisions
	for i, d := range docs {
		if d == nil { // stored by an earlier version, and not readable any more
			continue
		}
		h := &heads[i]
		shelf.Put(d)
		revisions[d] = keyOf(h)
		if h.Kind == document.KindPodTemplate && h.Number > 1 {
			shelf.Changes[h.Name] = review.Change{Revision: h.Number, At: h.At}
		}
	}
	for _, d := range shelf.OfKind(document.KindWorkload) {
		w := d.Value.(*document.Workload)
		week := func(ctx context.Context) (map[string]float64, error) {
			var r *demand.Recording
			if w.Spec.Jobs != nil {
				var err error
				if r, err = l.Recording(ctx, w.Spec.Jobs); err != nil {
					return nil, err
				}
			}
			return demand.PerWeek(&w.Spec, r), nil
		}
		var perWeek map[string]float64
		if key, ok := revisions[d]; ok {
			perWeek, err = l.weeks.Get(ctx, key, week)
		} else {
			perWeek, err = week(ctx)
		}
		if errors.Is(err, store.ErrNotFound) { // sent to be checked, its log not stored
			continue
		}
		if err != nil {
			return nil, err
		}
		shelf.PerWeek[d.Name] = perWeek
	}
	return shelf, nil
}
