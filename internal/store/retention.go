package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
)

// Retention says how long what is for; 0: for ever. What it is counted from is when work ended, when a document
// was written, when a deed was done.
type Retention struct {
	Outcomes   time.Duration // results and jobs of work without a name and a pin; what lists show of it stays
	Trials     time.Duration // preflights and rehearsals
	Revisions  time.Duration // of documents, since another took their place, that nothing kept was computed from
	Recordings time.Duration // that no document and nothing kept names
	Audit      time.Duration
}

// UsualRetention is that of a service that was told nothing else.
var UsualRetention = Retention{
	Outcomes: 90 * day, Trials: 90 * day, Revisions: 400 * day, Recordings: 90 * day, Audit: 400 * day,
}

const day = 24 * time.Hour

// ErrTrimmed says that what was computed is not kept any more.
var ErrTrimmed = errors.New("not kept any more")

// A Going is what the retention takes, of one kind.
type Going struct {
	Kind  string // as wire.Going says it
	Count int64
	Bytes int64
	IDs   []uint64 // of work: the first of them
}

// mostNamed is how many are named of what goes.
const mostNamed = 100

// goesAtOnce is how many go in one transaction.
const goesAtOnce = 50

// trimmable is the work whose results the retention takes at a moment: not the newest on its subject, for that
// is what pages show.
func (s *Store) trimmable(ctx context.Context, r Retention, at time.Time, live []string) *gorm.DB {
	newest := s.db.Model(&Work{}).Select("MAX(id)").Where("state = ?", wire.Done).Group("kind, subject")
	return s.db.WithContext(ctx).Model(&Work{}).
		Where("kind NOT IN ? AND state NOT IN ? AND NOT pinned AND called = '' AND trimmed IS NULL AND ended < ?", live, open, at.Add(-r.Outcomes)).
		Where("id NOT IN (?)", s.db.Table("(?) AS newest", newest).Select("*"))
}

func (s *Store) oldTrials(ctx context.Context, r Retention, at time.Time, live []string) *gorm.DB {
	return s.db.WithContext(ctx).Model(&Work{}).Where("kind IN ? AND state NOT IN ? AND NOT pinned AND called = '' AND ended < ?", live, open,
		at.Add(-r.Trials))
}

// WillGo says what the retention takes by a moment to come; live are the kinds of work that are trials.
func (s *Store) WillGo(ctx context.Context, r Retention, at time.Time, live []string) (out []Going, err error) {
	ctx = large(ctx)
	if r.Outcomes > 0 {
		g := Going{Kind: "outcomes"}
		if err := s.trimmable(ctx, r, at, live).Order("id").Limit(mostNamed).Pluck("id", &g.IDs).Error; err != nil {
			return nil, err
		}
		if err := s.trimmable(ctx, r, at, live).Count(&g.Count).Error; err != nil {
			return nil, err
		}
		in := s.trimmable(ctx, r, at, live).Select("id")
		for _, of := range []any{&Result{}, &Block{}} {
			var bytes int64
			if err := s.db.WithContext(ctx).Model(of).Select("COALESCE(SUM(LENGTH(data)), 0)").Where("work_id IN (?)", in).Scan(&bytes).Error; err != nil {
				return nil, err
			}
			g.Bytes += bytes
		}
		out = append(out, g)
	}
	if r.Trials > 0 {
		g := Going{Kind: "trials"}
		if err := s.oldTrials(ctx, r, at, live).Count(&g.Count).Error; err != nil {
			return nil, err
		}
		out = append(out, g)
	}
	if r.Revisions > 0 {
		list, err := s.oldRevisions(ctx, r, at)
		if err != nil {
			return nil, err
		}
		out = append(out, Going{Kind: "revisions", Count: int64(len(list))})
	}
	if r.Recordings > 0 {
		list, err := s.oldRecordings(ctx, r, at)
		if err != nil {
			return nil, err
		}
		g := Going{Kind: "recordings", Count: int64(len(list))}
		for _, x := range list {
			g.Bytes += x.bytes
		}
		out = append(out, g)
	}
	if r.Audit > 0 {
		g := Going{Kind: "audit"}
		if err := s.db.WithContext(ctx).Model(&Deed{}).Where("at < ?", at.Add(-r.Audit)).Count(&g.Count).Error; err != nil {
			return nil, err
		}
		out = append(out, g)
	}
	return out, nil
}

// Retire takes what the retention takes, a little at a time, so that nobody waits for it. It returns what went,
// by kind.
func (s *Store) Retire(ctx context.Context, r Retention, live []string) (went map[string]int64, err error) {
	ctx = large(ctx)
	now := s.now()
	went = map[string]int64{}
	some := func(kind string, keep time.Duration, take func() (int64, error)) error {
		for keep > 0 && ctx.Err() == nil {
			n, err := take()
			went[kind] += n
			if err != nil || n == 0 {
				return err
			}
		}
		return ctx.Err()
	}
	err = errors.Join(
		some("outcomes", r.Outcomes, func() (int64, error) {
			var ids []uint64
			if err := s.trimmable(ctx, r, now, live).Order("id").Limit(goesAtOnce).Pluck("id", &ids).Error; err != nil || len(ids) == 0 {
				return 0, err
			}
			return int64(len(ids)), s.write(ctx, func(tx *gorm.DB) error {
				if err := tx.Model(&Work{}).Where("id IN ? AND NOT pinned AND called = ''", ids).
					Updates(map[string]any{"trimmed": now, "checkpoint": nil}).Error; err != nil {
					return err
				}
				gone := tx.Model(&Work{}).Select("id").Where("id IN ? AND trimmed IS NOT NULL", ids)
				if err := tx.Where("work_id IN (?)", gone).Delete(&Result{}).Error; err != nil {
					return err
				}
				return tx.Where("work_id IN (?)", gone).Delete(&Block{}).Error
			})
		}),
		some("trials", r.Trials, func() (int64, error) {
			var ids []uint64
			if err := s.oldTrials(ctx, r, now, live).Limit(goesAtOnce).Pluck("id", &ids).Error; err != nil || len(ids) == 0 {
				return 0, err
			}
			return int64(len(ids)), s.write(ctx, func(tx *gorm.DB) error { return tx.Where("id IN ?", ids).Delete(&Work{}).Error })
		}),
		some("revisions", r.Revisions, func() (int64, error) {
			list, err := s.oldRevisions(ctx, r, now)
			list = list[:min(len(list), goesAtOnce)]
			for _, x := range list {
				if err := s.db.WithContext(ctx).Where("document_id = ? AND number = ?", x.DocumentID, x.Number).Delete(&Revision{}).Error; err != nil {
					return 0, err
				}
			}
			return int64(len(list)), err
		}),
		some("recordings", r.Recordings, func() (int64, error) {
			list, err := s.oldRecordings(ctx, r, now)
			if err != nil || len(list) == 0 {
				return 0, err
			}
			return 1, s.write(ctx, func(tx *gorm.DB) error { return dropRecording(tx, list[0].digest) })
		}),
		some("audit", r.Audit, func() (int64, error) {
			res := s.db.WithContext(ctx).Where("at < ?", now.Add(-r.Audit)).Limit(1000).Delete(&Deed{})
			return res.RowsAffected, res.Error
		}),
	)
	return went, err
}

// pins are the revisions and recordings that work was computed from whose results are kept.
func (s *Store) pins(ctx context.Context) (revisions map[wire.Ref]bool, questions []string, err error) {
	revisions = map[wire.Ref]bool{}
	var list []Work
	err = s.db.WithContext(ctx).Select("id", "question").Where("trimmed IS NULL").FindInBatches(&list, 500, func(*gorm.DB, int) error {
		for _, w := range list {
			questions = append(questions, w.Question)
			var q any
			if json.Unmarshal([]byte(w.Question), &q) == nil {
				refsIn(q, revisions)
			}
		}
		return nil
	}).Error
	return revisions, questions, err
}

// refsIn finds what names a revision of a document, wherever it stands in a question.
func refsIn(q any, into map[wire.Ref]bool) {
	switch x := q.(type) {
	case []any:
		for _, v := range x {
			refsIn(v, into)
		}
	case map[string]any:
		kind, _ := x["kind"].(string)
		name, _ := x["name"].(string)
		if n, ok := x["revision"].(float64); ok && kind != "" && name != "" {
			into[wire.Ref{Kind: kind, Name: name, Revision: int(n)}] = true
		}
		for _, v := range x {
			refsIn(v, into)
		}
	}
}

// oldRevisions are those that the retention takes: counted is from when another took their place, for until then
// they were in force.
func (s *Store) oldRevisions(ctx context.Context, r Retention, at time.Time) ([]Revision, error) {
	var heads []Head
	err := s.heads(ctx).Where("EXISTS (SELECT 1 FROM revisions AS next WHERE next.document_id = documents.id AND next.number > revisions.number "+
		"AND next.at < ?)", at.Add(-r.Revisions)).Find(&heads).Error
	if err != nil || len(heads) == 0 {
		return nil, err
	}
	kept, _, err := s.pins(ctx)
	if err != nil {
		return nil, err
	}
	var out []Revision
	for _, h := range heads {
		if !kept[wire.Ref{Kind: h.Kind, Name: h.Name, Revision: h.Number}] {
			out = append(out, Revision{DocumentID: h.ID, Number: h.Number})
		}
	}
	return out, nil
}

type oldRecording struct {
	digest string
	bytes  int64
}

// oldRecordings are those that the retention takes.
func (s *Store) oldRecordings(ctx context.Context, r Retention, at time.Time) (out []oldRecording, err error) {
	var list []Recording
	if err := s.db.WithContext(ctx).Select("digest").Where("at < ?", at.Add(-r.Recordings)).Find(&list).Error; err != nil || len(list) == 0 {
		return nil, err
	}
	_, questions, err := s.pins(ctx)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		if named, err := s.named(ctx, x.Digest, questions); err != nil || named != "" {
			if err != nil {
				return nil, err
			}
			continue
		}
		var bytes int64
		if err := s.db.WithContext(ctx).Model(&Piece{}).Select("COALESCE(SUM(LENGTH(data)), 0)").Where("digest = ?", x.Digest).Scan(&bytes).Error; err != nil {
			return nil, err
		}
		out = append(out, oldRecording{x.Digest, bytes})
	}
	return out, nil
}

// named says what names a recording: a document, in any of its revisions, or work whose result is kept; empty:
// nothing does.
func (s *Store) named(ctx context.Context, digest string, questions []string) (string, error) {
	var heads []Head
	if err := s.heads(ctx).Where("revisions.text LIKE ?", "%"+digest+"%").Order("revisions.number DESC").Limit(1).Find(&heads).Error; err != nil {
		return "", err
	}
	if len(heads) > 0 {
		return fmt.Sprintf("%s %s (revision %d)", heads[0].Kind, heads[0].Name, heads[0].Number), nil
	}
	for _, q := range questions {
		if strings.Contains(q, digest) {
			return "work whose result is kept", nil
		}
	}
	return "", nil
}

// InUse says what still names a recording.
type InUse struct{ By string }

func (n InUse) Error() string { return "it is named by " + n.By }

// DropRecording takes a recording away that nothing names; InUse: something does. ErrNotFound: there is none.
func (s *Store) DropRecording(ctx context.Context, digest string) error {
	if _, err := s.HasRecording(ctx, digest); err != nil {
		return err
	}
	_, questions, err := s.pins(ctx)
	if err != nil {
		return err
	}
	if by, err := s.named(ctx, digest, questions); err != nil || by != "" {
		if err == nil {
			err = InUse{by}
		}
		return err
	}
	return s.write(large(ctx), func(tx *gorm.DB) error { return dropRecording(tx, digest) })
}

func dropRecording(tx *gorm.DB, digest string) error {
	if err := tx.Where("digest = ?", digest).Delete(&Piece{}).Error; err != nil {
		return err
	}
	return tx.Where("digest = ?", digest).Delete(&Recording{}).Error
}

// KeepWork gives work a name and a pin, with either of which its result is kept; nil leaves what is.
func (s *Store) KeepWork(ctx context.Context, kinds []string, id uint64, name *string, pinned *bool) (Work, error) {
	set := map[string]any{}
	if name != nil {
		set["called"] = *name
	}
	if pinned != nil {
		set["pinned"] = *pinned
	}
	err := s.write(ctx, func(tx *gorm.DB) error {
		var w Work
		if err := tx.Select("id", "trimmed").Where("id = ? AND kind IN ?", id, kinds).Take(&w).Error; err != nil {
			return err
		}
		if len(set) == 0 {
			return nil
		}
		return tx.Model(&Work{}).Where("id = ?", id).Updates(set).Error
	})
	if err != nil {
		return Work{}, err
	}
	return s.GetWork(ctx, kinds, id)
}

// A Size is how much of something is kept.
type Size struct {
	Table string
	Rows  int64
	Bytes int64
}

// Sizes are how large the tables are, as the database has counted them.
func (s *Store) Sizes(ctx context.Context) ([]Size, error) {
	var list []Size
	return list, s.db.WithContext(ctx).Raw("SELECT table_name AS `table`, table_rows AS `rows`, data_length + index_length AS bytes " +
		"FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY bytes DESC, table_name").Scan(&list).Error
}
