package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/shelf"
	"tachyphor/wire"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// A Head is a document's revision with its name.
type Head struct {
	Kind, Name string
	Number     int
	Digest     string
	Text       string // empty in lists
	By         string
	At         time.Time
	// Edited is when its text was written last, where that was after the revision was
	// made; with the number it tells texts apart.
	Edited *time.Time
	ID     uint64 // of the document
}

// Change says what storing a document did.
type Change string

// What storing a document can do.
const (
	New     Change = "new"
	Changed Change = "changed"
	Same    Change = "same"
)

// A Draft is a document to be stored.
type Draft struct {
	Kind, Name, Digest, Text string
	// IfRevision is the newest revision the writer knows; the write is refused
	// when there is another. 0: whatever is there; below 0: nothing may be there.
	IfRevision int
}

// PutAll stores the drafts, all or none, and says for each its revision and what
// was done. Content that is the newest revision's already makes no new
// one; its text is kept as it was written last.
func (s *Store) PutAll(ctx context.Context, by string, drafts []Draft) (numbers []int, changes []Change, err error) {
	err = s.write(ctx, func(tx *gorm.DB) error {
		numbers, changes = nil, nil
		var what []string
		for _, d := range drafts {
			n, c, err := s.put(tx, by, d)
			if err != nil {
				return err
			}
			numbers, changes = append(numbers, n), append(changes, c)
			what = append(what, fmt.Sprintf("%s/%s r%d %s", d.Kind, d.Name, n, c))
		}
		said(ctx, strings.Join(what, ", "))
		return nil
	})
	return numbers, changes, err
}

func (s *Store) put(tx *gorm.DB, by string, d Draft) (int, Change, error) {
	doc := Document{Kind: d.Kind, Name: d.Name, Dropped: true, At: s.now()}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&doc).Error; err != nil {
		return 0, "", err
	}
	doc = Document{}
	if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("kind = ? AND name = ?", d.Kind, d.Name).First(&doc).Error; err != nil {
		return 0, "", err
	}
	if d.IfRevision > 0 && (doc.Dropped || doc.Revision != d.IfRevision) || d.IfRevision < 0 && !doc.Dropped {
		return 0, "", ErrConflict
	}
	change := New
	if !doc.Dropped {
		change = Changed
		var last Revision
		if err := tx.Where("document_id = ? AND number = ?", doc.ID, doc.Revision).First(&last).Error; err != nil {
			return 0, "", err
		}
		if last.Digest == d.Digest { // comments and layout may still differ
			if last.Text == d.Text {
				return doc.Revision, Same, nil
			}
			return doc.Revision, Same, tx.Model(&last).Updates(map[string]any{"text": d.Text, "edited": s.now()}).Error
		}
	}
	doc.Revision, doc.Dropped, doc.At = doc.Revision+1, false, s.now()
	if err := tx.Save(&doc).Error; err != nil {
		return 0, "", err
	}
	return doc.Revision, change, tx.Create(&Revision{
		DocumentID: doc.ID, Number: doc.Revision, Digest: d.Digest, Text: d.Text, By: by, At: doc.At,
	}).Error
}

// heads is the query for documents' revisions, without their texts.
func (s *Store) heads(ctx context.Context, more ...string) *gorm.DB {
	columns := append([]string{
		"documents.id", "documents.kind", "documents.name", "revisions.number", "revisions.digest",
		"revisions.`by`", "revisions.at", "revisions.edited",
	}, more...)
	return s.db.WithContext(ctx).Table("documents").Select(columns).
		Joins("JOIN revisions ON revisions.document_id = documents.id")
}

// newest are the revisions that hold.
const newest = "revisions.number = documents.revision AND NOT documents.dropped"

// Get returns a document's revision, the newest for number 0.
func (s *Store) Get(ctx context.Context, kind, name string, number int) (Head, error) {
	q := s.heads(ctx, "revisions.text").Where("documents.kind = ? AND documents.name = ?", kind, name)
	if number > 0 {
		q = q.Where("revisions.number = ?", number)
	} else {
		q = q.Where(newest)
	}
	var h Head
	return h, known(q.Take(&h).Error)
}

// Newest returns the newest revisions of those of the names that there are, without their
// texts, in no order.
func (s *Store) Newest(ctx context.Context, names []shelf.Name) ([]Head, error) {
	var out []Head
	for part := range slices.Chunk(names, atATime) {
		in := make([][]any, len(part))
		for i, n := range part {
			in[i] = []any{n.Kind, n.Name}
		}
		var list []Head
		if err := s.heads(ctx).Where(newest).Where("(documents.kind, documents.name) IN ?", in).Find(&list).Error; err != nil {
			return nil, err
		}
		out = append(out, list...)
	}
	return out, nil
}

// Revisions returns those of the revisions that there are, without their texts, in no
// order.
func (s *Store) Revisions(ctx context.Context, refs []wire.Ref) ([]Head, error) {
	var out []Head
	for part := range slices.Chunk(refs, atATime) {
		in := make([][]any, len(part))
		for i, r := range part {
			in[i] = []any{r.Kind, r.Name, r.Revision}
		}
		var list []Head
		if err := s.heads(ctx).Where("(documents.kind, documents.name, revisions.number) IN ?", in).Find(&list).Error; err != nil {
			return nil, err
		}
		out = append(out, list...)
	}
	return out, nil
}

// atATime is how many documents one query names at most.
const atATime = 200

// Read fills in the texts of heads, and when each was written last: they may have been
// written again in the meantime.
func (s *Store) Read(ctx context.Context, heads []*Head) error {
	type key struct {
		id     uint64
		number int
	}
	for part := range slices.Chunk(heads, atATime) {
		at := make(map[key][]*Head, len(part))
		in := make([][]any, len(part))
		for i, h := range part {
			k := key{h.ID, h.Number}
			at[k] = append(at[k], h)
			in[i] = []any{h.ID, h.Number}
		}
		var list []Revision
		if err := s.db.WithContext(ctx).Select("document_id", "number", "text", "edited").
			Where("(document_id, number) IN ?", in).Find(&list).Error; err != nil {
			return err
		}
		for _, r := range list {
			for _, h := range at[key{r.DocumentID, r.Number}] {
				h.Text, h.Edited = r.Text, r.Edited
			}
		}
	}
	return nil
}

// List returns up to limit documents of a kind (all kinds when empty), ordered
// by kind and name, after the given ones, without their texts.
func (s *Store) List(ctx context.Context, kind, afterKind, afterName string, limit int) ([]Head, error) {
	q := s.heads(ctx).Where(newest).
		Order("documents.kind, documents.name").Limit(limit)
	if kind != "" {
		q = q.Where("documents.kind = ?", kind)
	}
	if afterKind != "" {
		q = q.Where("(documents.kind, documents.name) > (?, ?)", afterKind, afterName)
	}
	var list []Head
	return list, q.Find(&list).Error
}

// History returns a document's revisions, newest first, up to limit below a
// number (0: from the newest), without their texts.
func (s *Store) History(ctx context.Context, kind, name string, below, limit int) ([]Head, error) {
	q := s.heads(ctx).Where("documents.kind = ? AND documents.name = ?", kind, name).
		Order("revisions.number DESC").Limit(limit)
	if below > 0 {
		q = q.Where("revisions.number < ?", below)
	}
	var list []Head
	if err := q.Find(&list).Error; err != nil {
		return nil, err
	}
	if len(list) == 0 && below == 0 {
		return nil, ErrNotFound
	}
	return list, nil
}

// Drop takes a document out of lists; its revisions stay. ifRevision is as in a
// Draft.
func (s *Store) Drop(ctx context.Context, kind, name string, ifRevision int) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		var doc Document
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).
			Where("kind = ? AND name = ? AND NOT dropped", kind, name).First(&doc).Error
		if err != nil {
			return err
		}
		if ifRevision > 0 && doc.Revision != ifRevision {
			return ErrConflict
		}
		return tx.Model(&doc).Updates(map[string]any{"dropped": true, "at": s.now()}).Error
	})
}

// PutRecording stores a recording whose pieces have been stored; one that is there already
// is left.
func (s *Store) PutRecording(ctx context.Context, r Recording) error {
	r.At = s.now()
	return s.write(ctx, func(tx *gorm.DB) error {
		said(ctx, fmt.Sprintf("recording %s of %d jobs", r.Digest, r.Jobs))
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r).Error
	})
}

// PutPiece stores a piece of a recording's file; one that is there already is left.
func (s *Store) PutPiece(ctx context.Context, p Piece) error {
	return s.write(Silently(large(ctx)), func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&p).Error
	})
}

// GetPiece returns a piece of a recording's file.
func (s *Store) GetPiece(ctx context.Context, digest string, number int) (Piece, error) {
	var p Piece
	return p, known(s.db.WithContext(large(ctx)).Where("digest = ? AND number = ?", digest, number).Take(&p).Error)
}

// GetRecording returns the recording with a digest.
func (s *Store) GetRecording(ctx context.Context, digest string) (Recording, error) {
	ctx = large(ctx)
	var r Recording
	return r, known(s.db.WithContext(ctx).Where("digest = ?", digest).Take(&r).Error)
}

// HasRecording returns how many jobs a recording has, without its data.
func (s *Store) HasRecording(ctx context.Context, digest string) (jobs int, err error) {
	var r Recording
	err = known(s.db.WithContext(ctx).Select("digest, jobs").Where("digest = ?", digest).Take(&r).Error)
	return r.Jobs, err
}
