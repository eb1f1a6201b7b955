package store

import (
	"context"
	"strconv"
	"strings"

	"tachyphor/wire"

	"gorm.io/gorm/clause"
)

// like has a text stand for itself in a pattern.
func like(text string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text)
}

// FindDocuments are documents whose names have a text in them: first the one that is called so, then those that
// begin with it.
func (s *Store) FindDocuments(ctx context.Context, text string, limit int) ([]Head, error) {
	var list []Head
	return list, s.heads(ctx).Where(newest).Where("documents.name LIKE ?", "%"+like(text)+"%").
		Clauses(clause.OrderBy{Expression: clause.Expr{
			SQL: "documents.name = ? DESC, documents.name LIKE ? DESC, documents.name, documents.kind", Vars: []any{text, like(text) + "%"},
		}}).Limit(limit).Find(&list).Error
}

// FindWork is work of some kinds that has a number, a name, or a subject with a text in it, the newest first.
func (s *Store) FindWork(ctx context.Context, kinds []string, text string, limit int) ([]Work, error) {
	q := s.db.WithContext(ctx).Omit(heavy...).Where("kind IN ?", kinds)
	if id, err := strconv.ParseUint(text, 10, 64); err == nil {
		q = q.Where("id = ? OR called LIKE ?", id, "%"+like(text)+"%")
	} else {
		q = q.Where("called LIKE ? OR subject LIKE ? AND state = ?", "%"+like(text)+"%", "%"+like(text)+"%", wire.Done)
	}
	var list []Work
	return list, q.Order("id DESC").Limit(limit).Find(&list).Error
}
