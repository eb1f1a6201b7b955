// Package shelf holds documents at hand, and finds what names name: the one place where a
// scenario's cluster, workload and templates are looked up.
package shelf

import (
	"fmt"
	"slices"

	"tachyphor/core/document"
)

// A Name names a document.
type Name struct{ Kind, Name string }

// NameOf returns a document's name.
func NameOf(d *document.Document) Name { return Name{d.Kind, d.Name} }

// A Shelf is documents at hand, at most one of a name, in the order in which they came. The
// zero value is an empty one.
type Shelf struct {
	list []*document.Document
	at   map[Name]int // place in the list
}

// Of returns a shelf of documents; of those of one name the first stays.
func Of(docs ...*document.Document) Shelf {
	var s Shelf
	for _, d := range docs {
		s.Put(d)
	}
	return s
}

// Put adds a document and returns nil, or leaves it out and returns the one of its name
// that is there.
func (s *Shelf) Put(d *document.Document) *document.Document {
	if i, ok := s.at[NameOf(d)]; ok {
		return s.list[i]
	}
	if s.at == nil {
		s.at = map[Name]int{}
	}
	s.at[NameOf(d)] = len(s.list)
	s.list = append(s.list, d)
	return nil
}

// Replace puts a document in the place of the one of its name, or adds it.
func (s *Shelf) Replace(d *document.Document) {
	if s.Put(d) != nil {
		s.list[s.at[NameOf(d)]] = d
	}
}

// All returns the documents in their order; the list is the shelf's own.
func (s *Shelf) All() []*document.Document { return s.list }

// OfKind returns the documents of a kind, in their order.
func (s *Shelf) OfKind(kind string) []*document.Document {
	var out []*document.Document
	for _, d := range s.list {
		if d.Kind == kind {
			out = append(out, d)
		}
	}
	return out
}

// Find returns the document of a kind and name, nil if it is not on the shelf.
func (s *Shelf) Find(kind, name string) *document.Document {
	if i, ok := s.at[Name{kind, name}]; ok {
		return s.list[i]
	}
	return nil
}

// Lone returns the only document of a kind on the shelf, nil if there is none or
// several.
func (s *Shelf) Lone(kind string) *document.Document {
	if of := s.OfKind(kind); len(of) == 1 {
		return of[0]
	}
	return nil
}

// Copy returns a shelf of the same documents, to which others may be added.
func (s *Shelf) Copy() Shelf { return Of(s.list...) }

// With returns a shelf on which changes have been made; documents that none of them means
// are the same ones. A change of a document that is not there is an error, as is an edit
// that cannot be made; both wrap ErrChanges.
func (s *Shelf) With(changes []document.Changes) (Shelf, document.Faults, error) {
	out := s.Copy()
	for _, c := range changes {
		d := out.Find(c.Kind, c.Name)
		if d == nil {
			return out, nil, fmt.Errorf("%w: there is no %s %s", ErrChanges, c.Kind, c.Name)
		}
		changed, faults, err := d.With(c.Edits)
		if err != nil {
			return out, nil, fmt.Errorf("%w in %s %s: %w", ErrChanges, c.Kind, c.Name, err)
		}
		if len(faults) > 0 {
			return out, faults, nil
		}
		out.list[out.at[Name{c.Kind, c.Name}]] = changed
	}
	return out, nil, nil
}

// UserOf returns the first scenario that uses all of some templates, nil if there is none.
func (s *Shelf) UserOf(templates []*document.Document) *document.Document {
	for _, d := range s.OfKind(document.KindScenario) {
		uses := d.Value.(*document.Scenario).Spec.Templates
		if !slices.ContainsFunc(templates, func(t *document.Document) bool {
			return !slices.ContainsFunc(uses, func(u document.TemplateUse) bool { return u.Template == t.Name })
		}) {
			return d
		}
	}
	return nil
}
