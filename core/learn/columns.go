package learn

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/table"
)

// mostLooked is how many rows are looked at, from all over the file, to tell what its
// columns are.
const mostLooked = 10_000

// A column is one of a grid, with what its values look like. Shares are of the values that
// are there.
type column struct {
	name     string
	unit     string // that its name ends with
	values   []string
	filled   float64 // share of rows that have a value
	distinct int
	forms    []clockForm // in which most values are moments
	moments  float64
	lengths  [lengthWords + 1]float64 // by form; numbers apart
	numbers  float64
	whole    float64 // whole numbers
	decimal  decimal
	unsure   bool // the decimal could be a comma or a point
	median   float64
	sizes    float64
	results  float64
	caches   float64
	lists    float64
}

// columnsOf looks at a grid's columns, and counts its rows, about.
func columnsOf(g *grid, o *JobOptions) (out []*column, rows int, err error) {
	if rows = g.rows; rows == 0 {
		if err := g.each(func([]string, int) error { rows++; return nil }, func(int, int, string) {}); err != nil {
			return nil, 0, err
		}
	}
	stride := max(1, rows/mostLooked)
	out = make([]*column, len(g.names))
	for i, name := range g.names {
		out[i] = &column{name: name}
		_, out[i].unit = nameWords(name)
	}
	n, looked := 0, 0
	err = g.each(func(cells []string, _ int) error {
		if n++; n%stride != 0 || len(cells) != len(out) {
			return nil
		}
		looked++
		for i, c := range cells {
			if c = plain(c); c != "" {
				out[i].values = append(out[i].values, strings.Clone(c))
			}
		}
		return nil
	}, func(int, int, string) {})
	for _, c := range out {
		c.look(looked, o)
	}
	return out, rows, err
}

// plain is a cell without what stands for nothing in many tables.
func plain(c string) string {
	switch c {
	case "-", "--", "–", "—", "null", "NULL", "None", "none", "nil", "N/A", "n/a", "NA", "NaN", "\\N", "(null)", "undefined":
		return ""
	}
	return c
}

// look reckons what a column's values look like.
func (c *column) look(rows int, o *JobOptions) {
	n := len(c.values)
	if n == 0 {
		return
	}
	c.filled = float64(n) / float64(max(rows, 1))
	times := map[string]int{} // each value is looked at once, however often it stands there
	for _, v := range c.values {
		times[v]++
	}
	share := func(is func(string) bool) float64 {
		k := 0
		for v, m := range times {
			if is(v) {
				k += m
			}
		}
		return float64(k) / float64(n)
	}
	c.distinct = len(times)
	forms, read := formsOf(c.values, time.UTC)
	c.forms, c.moments = forms, float64(read)/float64(n)
	c.decimal, c.unsure = decimalOf(c.values)
	if o.Decimal != "" && c.unsure {
		c.decimal, c.unsure = thousands, false
		if o.Decimal == "comma" {
			c.decimal = decimalComma
		}
	}
	var found []float64
	c.numbers = share(func(v string) bool {
		x, ok := c.decimal.number(v)
		if ok {
			for range times[v] {
				found = append(found, x)
			}
		}
		return ok
	})
	if len(found) > 0 {
		slices.Sort(found)
		c.median = found[len(found)/2]
	}
	c.whole = share(func(v string) bool { _, err := strconv.ParseInt(v, 10, 64); return err == nil })
	for f := lengthClock; f <= lengthWords; f++ {
		if f != lengthHours {
			c.lengths[f] = share(func(v string) bool { _, ok := f.read(v); return ok })
		}
	}
	c.sizes = share(func(v string) bool { _, ok := sizeOf(v); return ok })
	c.results = share(func(v string) bool { e, ok := o.ending(v); return ok && e != Unsaid })
	c.caches = share(func(v string) bool { _, ok := cacheWords[strings.ToLower(v)]; return ok })
	c.lists = share(func(v string) bool { return strings.ContainsAny(v, "[]|;,") })
}

// decimalOf tells how a column's numbers are written; unsure: a comma in them could part
// thousands or a fraction.
func decimalOf(values []string) (d decimal, unsure bool) {
	commas, grouped := 0, 0
	for _, v := range values {
		i := strings.IndexByte(v, ',')
		if i < 0 || strings.Trim(v, "+-0123456789.,") != "" {
			continue
		}
		commas++
		switch point := strings.IndexByte(v, '.'); {
		case point > strings.LastIndexByte(v, ','), strings.Count(v, ",") > 1:
			return thousands, false
		case point >= 0 || len(v)-i-1 != 3:
			return decimalComma, false
		case i >= 1 && i <= 3 && v[0] != '0':
			grouped++
		}
	}
	switch {
	case commas == 0:
		return decimalPoint, false
	case grouped < commas: // 0,512 is no grouping
		return decimalComma, false
	}
	return thousands, true
}

// durable reports whether the values can be durations.
func (c *column) durable() bool {
	best := c.numbers
	for _, s := range c.lengths {
		best = max(best, s, s+c.numbers)
	}
	return best >= enough
}

// enough is the share of a column's values that must look alike.
const enough = 0.9

// suits reports whether a column's values can be what a role says, and how much they do so
// without a name: 0 to 3.
func (c *column) suits(r role) (ok bool, unnamed int) {
	if len(c.values) == 0 {
		return false, 0
	}
	text := c.numbers < 0.5 && c.moments < 0.5
	moment := c.moments >= enough
	switch r {
	case roleSubmitted, roleStarted, roleEnded:
		return moment, 0 // those without a name are put in order elsewhere
	case roleWork:
		if c.numbers < 0.5 && c.durable() && !moment {
			unnamed = 3
		}
		return c.durable() && !moment, unnamed
	case roleWait:
		return c.durable() && !moment, 0
	case roleResult:
		if c.results >= 0.98 && text && c.distinct > 1 {
			unnamed = 3
		}
		return c.results >= enough && c.distinct <= 40, unnamed
	case roleClass, roleName, roleProject:
		return !moment && c.numbers < enough, 0
	case roleWants:
		if c.lists > 0.5 && text {
			unnamed = 2
		}
		return text, unnamed
	case roleBranch:
		return !moment, 0
	case roleChange:
		return !moment && c.distinct <= 40, 0
	case roleAttempt:
		return c.whole >= enough && c.median < 100, 0
	case roleCache:
		return c.caches >= enough, 0
	case roleCores:
		return c.numbers >= enough && c.median >= 0.001 && c.median <= 4096, 0
	case roleMemory, roleDisk:
		return c.numbers+c.sizes >= enough, 0
	case roleID:
		many := c.distinct >= len(c.values)*9/10
		if many && len(c.values) > 1 && (text && !c.durable() && c.lists < 0.5 || c.whole >= enough && rising(c.values)) {
			unnamed = 1
		}
		return many && !moment, unnamed
	default: // pod, after
		return !moment, 0
	}
}

// rising reports whether whole numbers only grow.
func rising(values []string) bool {
	last := int64(math.MinInt64)
	for _, v := range values {
		n, err := strconv.ParseInt(v, 10, 64)
		if err != nil || n <= last {
			return false
		}
		last = n
	}
	return true
}

// A picked column is one that was given a role.
type picked struct {
	role role
	at   int
	why  string
}

// pick gives columns their roles.
func pick(columns []*column, o *JobOptions) ([]picked, error) {
	var out []picked
	taken := make([]bool, len(columns))
	done := map[role]bool{}
	for _, name := range slices.Sorted(maps.Keys(o.Columns)) {
		is, ok := roleOf(name)
		if !ok {
			return nil, unknownRole(name)
		}
		which := o.Columns[name]
		done[is] = true
		if which == "-" {
			continue
		}
		at, err := findColumn(columns, which)
		if err != nil {
			return nil, err
		}
		if taken[at] {
			return nil, fmt.Errorf("column %q is given two roles; a column has only one", columns[at].name)
		}
		taken[at] = true
		out = append(out, picked{is, at, "told"})
	}
	type pair struct {
		picked
		score int
	}
	var pairs []pair
	for _, info := range roles {
		if done[info.role] {
			continue
		}
		for at, c := range columns {
			ok, unnamed := c.suits(info.role)
			named := info.named(c.name)
			// A column of that name whose words are not known is asked about, not passed over.
			ok = ok || info.role == roleResult && named == 10 && c.distinct > 0 && c.distinct <= 12 && c.numbers < 0.5 && c.moments < 0.5
			if !ok || taken[at] || named+unnamed == 0 {
				continue
			}
			if info.role == roleAfter && named < 8 {
				continue // a wrong chain is worse than none
			}
			why := "its name"
			if named == 0 {
				why = "its values"
			}
			pairs = append(pairs, pair{picked{info.role, at, why}, 10*named + unnamed})
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(b.score, a.score) })
	for _, p := range pairs {
		if !taken[p.at] && !done[p.role] {
			taken[p.at], done[p.role] = true, true
			out = append(out, p.picked)
		}
	}
	out = append(out, inOrder(columns, taken, done)...)
	out = append(out, alikes(columns, taken, done)...)
	slices.SortFunc(out, func(a, b picked) int { return a.at - b.at })
	return out, nil
}

func unknownRole(name string) error {
	names := slices.Clone(roleNames[:])
	hint := ""
	if near, ok := table.Nearest(name, names); ok {
		hint = fmt.Sprintf(" (did you mean %s?)", near)
	}
	return fmt.Errorf("a column cannot be %q%s; it can be %s", name, hint, strings.Join(names, ", "))
}

// findColumn finds a column by its name, or by its number from 1.
func findColumn(columns []*column, which string) (int, error) {
	var names []string
	for i, c := range columns {
		if c.name == which {
			return i, nil
		}
		names = append(names, c.name)
	}
	for i, c := range columns {
		if strings.EqualFold(c.name, which) {
			return i, nil
		}
	}
	if n, err := strconv.Atoi(which); err == nil && n >= 1 && n <= len(columns) {
		return n - 1, nil
	}
	hint := ""
	if near, ok := table.Nearest(which, names); ok {
		hint = fmt.Sprintf("; did you mean %q?", near)
	}
	if len(names) > 30 {
		names = append(names[:30], "...")
	}
	return 0, fmt.Errorf("there is no column %q%s; the columns are %s", which, hint, strings.Join(names, ", "))
}

// inOrder gives the moments whose names say nothing their roles by which come first.
func inOrder(columns []*column, taken []bool, done map[role]bool) (out []picked) {
	var free []int
	for at, c := range columns {
		if !taken[at] && c.moments >= enough && c.filled > 0.3 {
			free = append(free, at)
		}
	}
	if len(free) == 0 || done[roleSubmitted] || done[roleStarted] || done[roleEnded] {
		return nil
	}
	mean := func(at int) float64 {
		sum := 0.0
		for _, v := range columns[at].values {
			m, _ := columns[at].forms[0].read(v, time.UTC)
			sum += float64(m) / float64(len(columns[at].values))
		}
		return sum
	}
	slices.SortStableFunc(free, func(a, b int) int { return cmp.Compare(mean(a), mean(b)) })
	as := []role{roleSubmitted, roleStarted, roleEnded}
	if len(free) == 2 && !done[roleWork] {
		as = as[1:] // what it worked is known by both
	}
	for i, at := range free[:min(len(free), len(as))] {
		taken[at], done[as[i]] = true, true
		out = append(out, picked{as[i], at, fmt.Sprintf("moments, in order of time: number %d of %d", i+1, len(free))})
	}
	return out
}

// alikes gives a column that says what jobs are alike the role of a name, where none has it.
func alikes(columns []*column, taken []bool, done map[role]bool) []picked {
	if done[roleName] || done[roleClass] || done[roleProject] {
		return nil
	}
	best, most := -1, 0
	for at, c := range columns {
		if taken[at] || c.numbers > 0.5 || c.moments > 0.5 || c.filled < 0.8 {
			continue
		}
		alike := map[string]bool{} // but for numbers and hashes
		for _, v := range c.values {
			alike[string(shapeOf(nil, v, ""))] = true
		}
		if n := len(alike); n >= 2 && 2*n <= len(c.values) && n > most {
			best, most = at, n
		}
	}
	if best < 0 {
		return nil
	}
	taken[best], done[roleName] = true, true
	return []picked{{roleName, best, "its values: words that come again"}}
}
