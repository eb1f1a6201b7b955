package learn

import (
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

// A jobRow is one recorded job, small: there are millions of them. Numbers below 0 are not
// known.
type jobRow struct {
	at             moment // when it was submitted
	started, ended moment // 0: not known
	work           float64
	memory, disk   float64
	id             span  // in taking.ids
	class          int32 // once classes are known
	name           int32 // its shape, as the next in taking.words
	project        int32
	wants          int32
	pod            int32
	phases         int32
	after          int32 // in taking.after, −1 for none
	cores          float32
	attempt        uint16
	ending         Ending
	waited         bool // how long it waited is known where its start is
	change         int8 // 1: a change, 0: the trunk, −1: the log does not say
	cache          uint8
}

// A span is a part of a text.
type span struct{ from, to int32 }

// caches are what a job found, by number.
var caches = []string{"", "none", "stale", "warm"}

// cacheWords are what a cache column may say, as our own column says it.
var cacheWords = map[string]string{
	"hit": "warm", "warm": "warm", "true": "warm", "yes": "warm", "1": "warm", "full": "warm", "restored": "warm", "fresh": "warm",
	"exact":  "warm",
	"cached": "warm", "miss": "none", "none": "none", "false": "none", "no": "none", "0": "none", "cold": "none", "missed": "none",
	"absent": "none",
	"stale":  "stale", "partial": "stale", "outdated": "stale",
}

// most and least that a log may say.
const (
	mostText  = 120
	mostPod   = 253
	mostWaits = 250
	mostAfter = 1000
)

// mostShared bounds the texts that are looked for in earlier rows.
const mostShared = 10_000

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
	j := jobRow{work: -1, memory: -1, disk: -1, cores: -1, after: -1, change: -1}
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
		case at[0] > 0 && at[1] == 0:
			at[1] = at[0] + int64(math.Round(x*1e9))
		}
	}
	if j.work < 0 && at[1] > 0 && at[2] > 0 {
		j.work = float64(at[2]-at[1]) / 1e9
	}
	if at[1] == 0 && at[2] > 0 && j.work >= 0 {
		at[1] = at[2] - int64(math.Round(j.work*1e9))
	}
	waited := at[0] > 0 // how long is known
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
	j.at, j.started, j.ended, j.waited = at[0], at[1], at[2], waited
	t.waits = t.waits || waited && at[1] > 0
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
	}{{roleClass, &j.class, 1000}, {roleProject, &j.project, 1000}, {rolePod, &j.pod, mostPod}, {rolePhases, &j.phases, mostWaits}} {
		v := get(x.is)
		if len(v) > x.most {
			return x.is, fmt.Sprintf("longer than %d characters", x.most)
		}
		if strings.ContainsFunc(v, unicode.IsControl) {
			return x.is, "with control characters in it"
		}
		if x.is == rolePhases && v != "" {
			if _, err := demand.ParsePhases(v); err != nil {
				return x.is, err.Error()
			}
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
