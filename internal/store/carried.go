package store

import "gorm.io/gorm"

// Rows that a step takes over into other tables, or says more of.

// carryWork takes outcomes, weighings and trials over into the one table of work. Numbers
// of outcomes and weighings stay; trials, which were counted by themselves, get new ones.
// The database commits each statement by itself, so that every one can be done again.
func carryWork(tx *gorm.DB) error {
	m := tx.Migrator()
	if m.HasTable("outcomes") {
		err := tx.Exec("INSERT IGNORE INTO work (id, kind, subject, state, question, error, progress, lease, holder, asked, " +
			"started, ended, `by`, gist, digest, varied, attempts, stack) " +
			"SELECT id, IF(work = 'weigh', 'weighing', 'simulation'), scenario, state, inputs, error, progress, lease, holder, " +
			"asked, started, ended, `by`, summary, digest, varied, attempts, stack FROM outcomes").Error
		if err != nil {
			return err
		}
	}
	if m.HasTable("trials") {
		if err := tx.Exec("DELETE FROM work WHERE kind IN ('preflight', 'rehearsal')").Error; err != nil {
			return err
		}
		err := tx.Exec("INSERT INTO work (kind, subject, state, question, error, progress, lease, holder, asked, started, ended, " +
			"`by`, attempts, checkpoint) " +
			"SELECT kind, template, state, JSON_OBJECT('template', template, 'scenario', scenario, 'context', context), error, " +
			"IF(state = 'done', 1, 0), lease, holder, asked, asked, ended, `by`, 1, report FROM trials ORDER BY id").Error
		if err != nil {
			return err
		}
	}
	for _, old := range []string{"trials", "outcomes"} {
		if err := m.DropTable(old); err != nil {
			return err
		}
	}
	return nil
}

// carryTokens has those who were let in before there were roles be owners, as they were.
func carryTokens(tx *gorm.DB) error {
	for _, q := range []string{
		"UPDATE tokens SET person = name, role = 'owner' WHERE role = '' AND kind IN ('bearer', 'session', 'link')",
		"UPDATE tokens SET kind = 'local' WHERE kind = 'bearer' AND role = 'owner' AND place = ''",
		"UPDATE tokens SET person = 'owner', role = 'events' WHERE role = '' AND kind = 'events'",
		"INSERT IGNORE INTO people (name, role, at) SELECT DISTINCT person, 'owner', UTC_TIMESTAMP(6) FROM tokens",
	} {
		if err := tx.Exec(q).Error; err != nil {
			return err
		}
	}
	return nil
}
