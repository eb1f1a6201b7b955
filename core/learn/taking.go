package learn

import (
	"fmt"
	"hash/maphash"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/table"
)

// taking takes the rows of a log.
type taking struct {
	waits bool // of some it is known how long they waited
	cold  bool // the log tells cold runs by pauses
	*reading
	grid *grid
	rows []jobRow
	table.Refused
	ids     strings.Builder
	after   [][]string
	words   []string
	number  map[string]int32
	lists   map[string]int32 // wants as they are written: words
	shape   []byte
	ends    map[string]Ending // by words of results
	seed    maphash.Seed
	whole   map[uint64]struct{} // rows that were there
	named   map[uint64]uint16   // ids that were there, and how often
	count   map[string]int      // rows by what was found of them
	unknown map[string]int      // words of results that are not known
}

// What is counted of rows that make no job.
const (
	rowsBlank     = "blank"
	rowsTotals    = "totals"
	rowsHeader    = "the header again"
	rowsTwice     = "exactly as one before"
	rowsBroken    = "not to be parted into columns"
	rowsUnread    = "not to be read"
	rowsBackwards = "ended before they began"
	rowsOutside   = "out of any likely time"
	rowsBefore    = "before --from"
	rowsBehind    = "from --until on"
	rowsNever     = "never started"
)

var errTooMany = fmt.Errorf("more than %d jobs; cut the log with --from and --until", demand.MaxJobs)

// takeRows reads every row of a grid.
func takeRows(g *grid, r *reading) (*taking, error) {
	t := &taking{
		reading: r, grid: g, number: map[string]int32{}, lists: map[string]int32{}, ends: map[string]Ending{},
		seed: maphash.MakeSeed(), whole: map[uint64]struct{}{}, named: map[uint64]uint16{},
		count: map[string]int{}, unknown: map[string]int{},
	}
	t.word("") // 0 is nothing
	t.rows = make([]jobRow, 0, r.total)
	var sum maphash.Hash
	sum.SetSeed(t.seed)
	err := g.each(func(cells []string, line int) error {
		filled := 0
		sum.Reset()
		for _, c := range cells {
			if c != "" {
				filled++
			}
			_, _ = sum.WriteString(c)
			_ = sum.WriteByte(0)
		}
		switch {
		case filled == 0:
			t.count[rowsBlank]++
			return nil
		case len(cells) != len(g.names):
			t.refuse(rowsBroken, table.BadRow{Line: line, Reason: fmt.Sprintf("%d fields where there are %d columns", len(cells), len(g.names))})
			return nil
		case g.headed && cells[0] == g.names[0] && slices.Equal(cells, g.names):
			t.count[rowsHeader]++
			return nil
		case totals(cells, filled):
			t.count[rowsTotals]++
			return nil
		}
		key := sum.Sum64()
		if _, twice := t.whole[key]; twice {
			t.count[rowsTwice]++
			return nil
		}
		t.whole[key] = struct{}{}
		if err := t.take(cells, line); err != nil {
			return err
		}
		return nil
	}, func(line, lines int, why string) {
		for i := range lines {
			if i == 0 {
				t.refuse(rowsBroken, table.BadRow{Line: line, Reason: why})
			} else {
				t.Bads++
				t.count[rowsBroken]++
			}
		}
	})
	t.whole, t.named = nil, nil
	return t, err
}

func (t *taking) refuse(kind string, b table.BadRow) {
	t.count[kind]++
	if t.grid.current != "" {
		b.Reason += ", in " + t.grid.current
	}
	t.Refuse(b)
}

// totals reports whether a row sums others up.
func totals(cells []string, filled int) bool {
	if 2*filled > len(cells)+1 && filled > 3 {
		return false
	}
	for _, c := range cells {
		if c == "" {
			continue
		}
		switch letters(c) {
		case "total", "totals", "sum", "subtotal", "grandtotal", "average", "mean", "count", "summe", "gesamt", "overall":
			return true
		}
		return false
	}
	return false
}

// word numbers a text that many rows share.
func (t *taking) word(s string) int32 {
	if n, ok := t.number[s]; ok {
		return n
	}
	s = strings.Clone(s)
	n := int32(len(t.words))
	t.words, t.number[s] = append(t.words, s), n
	return n
}
