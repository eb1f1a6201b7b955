package learn

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"
)

// settled refuses the log where rows or words are left that nobody said anything of.
func (t *taking) settled() error {
	if len(t.unknown) > 0 {
		var words []string
		rows := 0
		for w, n := range t.unknown {
			words, rows = append(words, w), rows+n
		}
		slices.Sort(words)
		if len(words) > 8 {
			words = append(words[:8], "...")
		}
		return fmt.Errorf("column %q: what does %s mean (%d rows)? Say it with --result %s=done, =failed, =cut (in the middle), =never "+
			"(it never started) or =underway", t.columns[t.at[roleResult]].name, strings.Join(quoted(words), ", "), rows, words[0])
	}
	if len(t.rows) == 0 && t.Bads == 0 {
		return errors.New("no row of it is a job")
	}
	if backwards := t.count[rowsBackwards]; backwards > len(t.rows) {
		return Contradiction{
			fmt.Sprintf("in most rows (%d) a job ends before it starts, or starts before it is submitted", backwards),
			"the columns of times are others than was thought, or their zones differ: name them with --column submitted=, started=, ended=",
		}
	}
	if t.Bads > 0 && !t.o.SkipBad {
		return BadRows{t.Refused}
	}
	if len(t.rows) == 0 {
		return errors.New("none of its rows can be read: " + t.Bad[0].String())
	}
	return nil
}

func quoted(list []string) []string {
	out := make([]string, len(list))
	for i, w := range list {
		out[i] = strconv.Quote(w)
	}
	return out
}

// BadRows says that a log has rows that make no job.
type BadRows struct{ table.Refused }

func (b BadRows) Error() string {
	return fmt.Sprintf("%d rows cannot be used; the first: %s. --skip-bad leaves them out", b.Bads, b.Bad[0])
}
