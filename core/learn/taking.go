package learn

import (
	"errors"
	"fmt"
	"hash/maphash"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"tachyphor/core/demand"
	"tachyphor/core/table"
)

// cacheWords are what a cache column may say, as our own column says it.
var cacheWords = map[string]string{
	"hit": "warm", "warm": "warm", "true": "warm", "yes": "warm", "1": "warm", "full": "warm", "restored": "warm", "fresh": "warm",
	"exact":  "warm",
	"cached": "warm", "miss": "none", "none": "none", "false": "none", "no": "none", "0": "none", "cold": "none", "missed": "none",
	"absent": "none",
	"stale":  "stale", "partial": "stale", "outdated": "stale",
}

// A jobRow is one recorded job, small: there are millions of them. Numbers below 0 are not
// known.
type jobRow struct {
	at             moment // when it was submitted
	started, ended moment // 0: not known
	work           float64
	memory, disk   float64
	id             span // in taking.ids
	line           int32
	class          int32 // once classes are known
	name           int32 // its shape, as the next in taking.words
	project        int32
	wants          int32
	pod            int32
	after          int32 // in taking.after, −1 for none
	cores          float32
	attempt        uint16
	ending         Ending
	change         int8 // 1: a change, 0: the trunk, −1: the log does not say
	cache          uint8
}

// A span is a part of a text.
type span struct{ from, to int32 }

// caches are what a job found, by number.
var caches = []string{"", "none", "stale", "warm"}

// taking takes the rows of a log.
type taking struct {
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

// most and least that a log may say.
const (
	mostText  = 120
	mostPod   = 253
	mostAfter = 1000
)

// take reads one row.
func (t *taking) take(cells []string, line int) error {
	get := func(is role) string {
		at := t.at[is]
		switch {
		case at < 0:
			return ""
		case is == roleCache: // none is an answer
			return cells[at]
		}
		return plain(cells[at])
	}
	bad := func(kind string, is role, reason string) error {
		column, found := "", ""
		if at := t.at[is]; at >= 0 {
			column, found = t.columns[at].name, cells[at]
		}
		t.refuse(kind, table.BadRow{Line: line, Column: column, Found: found, Reason: reason})
		return nil
	}
	j := jobRow{work: -1, memory: -1, disk: -1, cores: -1, after: -1, change: -1, line: int32(min(line, math.MaxInt32))}
	var at [3]moment
	for i, is := range momentRoles {
		v := get(is)
		if v == "" {
			continue
		}
		f := &t.moment[is]
		m, ok := f.read(v, t.loc)
		if !ok {
			return bad(rowsUnread, is, "expected a time as "+f.says())
		}
		if !sensible(m) {
			return bad(rowsOutside, is, fmt.Sprintf("a time of the year %d", time.Unix(0, m).UTC().Year()))
		}
		at[i] = m
	}
	result := get(roleResult)
	ending, ok := t.ends[result]
	if !ok {
		if ending, ok = t.o.ending(result); !ok {
			t.unknown[clip(result)]++
		} else if len(t.ends) < mostShared {
			t.ends[strings.Clone(result)] = ending
		}
	}
	j.ending = ending
	if at[1] > 0 && at[2] > 0 && at[2] < at[1] {
		return bad(rowsBackwards, roleEnded, "the job ended before it started")
	}
	for _, is := range []role{roleWork, roleWait} {
		v := get(is)
		if v == "" {
			continue
		}
		l := &t.length[is]
		x, ok := l.read(v)
		switch {
		case !ok:
			return bad(rowsUnread, is, "expected a duration")
		case x < 0 && ending != Never:
			return bad(rowsOutside, is, "a duration below 0")
		case x > mostSeconds:
			return bad(rowsOutside, is, "longer than 400 days")
		case is == roleWork:
			j.work = max(0, x)
		case at[0] == 0 && at[1] > 0: // it was submitted so long before it began
			at[0] = at[1] - int64(math.Round(x*1e9))
		}
	}
	if j.work < 0 && at[1] > 0 && at[2] > 0 {
		j.work = float64(at[2]-at[1]) / 1e9
	}
	if at[1] == 0 && at[2] > 0 && j.work >= 0 {
		at[1] = at[2] - int64(math.Round(j.work*1e9))
	}
	if at[0] == 0 {
		at[0] = at[1]
	}
	if at[0] == 0 {
		return bad(rowsUnread, t.first(), "empty; a job has a time at which it came")
	}
	if j.work > mostSeconds {
		return bad(rowsOutside, roleEnded, "it worked for more than 400 days")
	}
	if !t.o.From.IsZero() && at[0] < t.o.From.UnixNano() {
		t.count[rowsBefore]++
		return nil
	}
	if !t.o.Until.IsZero() && at[0] >= t.o.Until.UnixNano() {
		t.count[rowsBehind]++
		return nil
	}
	if at[1] > 0 && at[1] < at[0] && at[0]-at[1] > int64(time.Second) {
		return bad(rowsBackwards, roleStarted, "the job started before it was submitted")
	}
	j.at, j.started, j.ended = at[0], at[1], at[2]
	switch {
	case ending == Never, ending == Cut && at[1] == 0 && t.has(roleStarted):
		j.ending, j.work = Never, -1
	case ending == Cut, ending == Underway:
		j.work = -1 // what it would have worked is not known
	}
	if is, reason := t.rest(&j, get); reason != "" {
		return bad(rowsUnread, is, reason)
	}
	if t.rows = append(t.rows, j); len(t.rows) > demand.MaxJobs {
		return errTooMany
	}
	return nil
}

// first is the role of a time that a row must have.
func (t *taking) first() role {
	for _, is := range momentRoles {
		if t.has(is) {
			return is
		}
	}
	return roleSubmitted
}

// rest reads what a row says beyond its times; the reason says why it cannot be.
func (t *taking) rest(j *jobRow, get func(role) string) (is role, reason string) {
	for _, x := range []struct {
		is   role
		into *float64
	}{{roleMemory, &j.memory}, {roleDisk, &j.disk}} {
		if v := get(x.is); v != "" {
			z := &t.size[x.is]
			n, ok := z.read(v)
			if !ok || n > 1<<60 {
				return x.is, "expected a size"
			}
			if n > 0 { // 0 is what was not measured
				*x.into = n
			}
		}
	}
	if v := get(roleCores); v != "" {
		c, ok := t.columns[t.at[roleCores]].decimal.number(v)
		if !ok || c < 0 || c > 10_000 {
			return roleCores, "expected cores, as in 1.5"
		}
		j.cores = float32(c)
	}
	if v := get(roleAttempt); v != "" {
		if n, err := strconv.Atoi(v); err == nil && n > 0 {
			j.attempt = uint16(min(n, 1000))
		}
	}
	if v := get(roleCache); v != "" {
		j.cache = uint8(max(0, slices.Index(caches, cacheWords[strings.ToLower(v)])))
	}
	for _, x := range []struct {
		is   role
		into *int32
		most int
	}{{roleClass, &j.class, 1000}, {roleProject, &j.project, 1000}, {rolePod, &j.pod, mostPod}} {
		v := get(x.is)
		if len(v) > x.most {
			return x.is, fmt.Sprintf("longer than %d characters", x.most)
		}
		if strings.ContainsFunc(v, unicode.IsControl) {
			return x.is, "with control characters in it"
		}
		*x.into = t.word(v)
	}
	if v := get(roleName); v != "" {
		if len(v) > 1000 {
			return roleName, "longer than 1000 characters"
		}
		t.shape = shapeOf(t.shape[:0], v, get(roleBranch))
		n, known := t.number[string(t.shape)]
		if !known {
			n = t.word(string(t.shape))
		}
		j.name = n
	}
	if v := get(roleWants); v != "" {
		if n, known := t.lists[v]; known {
			j.wants = n
			return t.others(j, get)
		}
		w, ok := wantWords(v)
		if !ok {
			return roleWants, "expected words"
		}
		j.wants = t.word(w)
		if len(t.lists) < mostShared {
			t.lists[strings.Clone(v)] = j.wants
		}
	}
	return t.others(j, get)
}

// mostShared bounds the texts that are looked for in earlier rows.
const mostShared = 10_000

// others reads what ties a job to others.
func (t *taking) others(j *jobRow, get func(role) string) (is role, reason string) {
	b := get(roleBranch)
	if len(b) > 1000 {
		return roleBranch, "longer than 1000 characters"
	}
	j.change = t.changes(b, get(roleChange))
	if v := get(roleAfter); v != "" {
		list := splitList(v)
		if len(list) > mostAfter {
			return roleAfter, fmt.Sprintf("more than %d jobs", mostAfter)
		}
		for i := range list {
			list[i] = strings.Clone(list[i])
		}
		j.after = int32(len(t.after))
		t.after = append(t.after, list)
	}
	if v := get(roleID); v != "" {
		if len(v) > mostText-12 || strings.ContainsFunc(v, unicode.IsControl) {
			return roleID, "an id longer than 108 characters, or with control characters in it"
		}
		key := maphash.String(t.seed, v)
		from := t.ids.Len()
		t.ids.WriteString(v)
		if t.named[key]++; t.named[key] > 1 { // a further try of it
			t.ids.WriteString("~" + strconv.Itoa(int(t.named[key])))
		}
		if t.ids.Len() > math.MaxInt32 {
			return roleID, "too many ids"
		}
		j.id = span{int32(from), int32(t.ids.Len())}
	}
	return 0, ""
}

// changes tells whether a job built a change request: by what says so, else by its branch.
func (t *taking) changes(branch, said string) int8 {
	switch l := letters(said); {
	case l == "":
	case strings.Contains(l, "pull"), strings.Contains(l, "merge"), strings.Contains(l, "change"), strings.Contains(l, "review"),
		l == "pr", l == "mr", l == "true", l == "patchset":
		return 1
	case strings.Contains(l, "push"), strings.Contains(l, "cron"), strings.Contains(l, "timer"), strings.Contains(l, "sched"),
		strings.Contains(l, "night"), l == "trunk", l == "false", strings.Contains(l, "release"), strings.Contains(l, "tag"):
		if branch == "" {
			return 0
		}
	}
	if branch == "" {
		return -1
	}
	if t.trunk(branch) {
		return 0
	}
	return 1
}

// trunk reports whether a branch is the trunk.
func (t *taking) trunk(branch string) bool {
	b := strings.TrimPrefix(strings.TrimPrefix(branch, "refs/heads/"), "origin/")
	if len(t.o.Trunk) > 0 {
		return slices.Contains(t.o.Trunk, b)
	}
	switch strings.ToLower(b) {
	case "main", "master", "trunk", "develop", "default", "dev", "head", "mainline":
		return true
	}
	return strings.HasPrefix(b, "release/") || strings.HasPrefix(b, "releases/") || strings.HasPrefix(b, "refs/tags/")
}

// wantWords puts the words of a cell into one list, in order, parted by blanks.
func wantWords(cell string) (string, bool) {
	list := splitList(cell)
	for i, w := range list {
		if len(w) > 63 || strings.ContainsFunc(w, unicode.IsControl) {
			return "", false
		}
		list[i] = w
	}
	slices.Sort(list)
	return strings.Join(slices.Compact(list), " "), len(list) <= 50
}

// splitList parts a cell that holds several words: a JSON list, or parted by commas,
// blanks, bars, semicolons, plus signs or double ampersands, in brackets or not.
func splitList(cell string) []string {
	return strings.FieldsFunc(cell, func(r rune) bool {
		switch r {
		case ',', ' ', ';', '|', '[', ']', '(', ')', '{', '}', '"', '\'', '&', '+', '\t', '\n':
			return true
		}
		return false
	})
}

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
	return fmt.Sprintf("%d rows cannot be taken; the first: %s. --skip-bad leaves them out", b.Bads, b.Bad[0])
}
