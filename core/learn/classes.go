package learn

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// A kindOfJob is a class as it is proposed: jobs alike.
type kindOfJob struct {
	name    string
	key     string // what their names have in common
	rows    []int32
	wants   int32 // the words that most of them want
	project int32
	folded  int // kinds that were too small for one of their own
}

// mostClasses bounds the classes of a workload.
const mostClasses = 60

// classes parts the jobs into classes: by a column that names them, else by what their names
// have in common, else by project, else by what they want. Small ones are folded together.
func (t *taking) classes() []*kindOfJob {
	by, guess := t.keys()
	if guess.Is != "" {
		t.guesses = append(t.guesses, guess)
	}
	kinds := map[string]*kindOfJob{}
	var order []*kindOfJob
	for i := range t.rows {
		key := by(&t.rows[i])
		k := kinds[key]
		if k == nil {
			k = &kindOfJob{key: key}
			kinds[key], order = k, append(order, k)
		}
		k.rows = append(k.rows, int32(i))
	}
	least := t.o.Least
	switch {
	case least > 0:
	case t.has(roleClass): // somebody has parted them already
		least = 1
	default:
		least = max(5, len(t.rows)/500)
	}
	slices.SortStableFunc(order, func(a, b *kindOfJob) int { return cmp.Compare(len(b.rows), len(a.rows)) })
	var out []*kindOfJob
	rest := map[int32]*kindOfJob{} // folded, by what they want
	for _, k := range order {
		k.wants = t.commonest(k.rows, func(j *jobRow) int32 { return j.wants })
		k.project = t.commonest(k.rows, func(j *jobRow) int32 { return j.project })
		if len(k.rows) >= least && len(out) < mostClasses || len(order) == 1 {
			out = append(out, k)
			continue
		}
		f := rest[k.wants]
		if f == nil {
			f = &kindOfJob{wants: k.wants, project: -1, key: "other"}
			if k.wants > 0 {
				f.key = "other " + t.words[k.wants]
			}
			rest[k.wants] = f
		}
		f.rows, f.folded = append(f.rows, k.rows...), f.folded+1
	}
	var folded []*kindOfJob
	for _, f := range rest {
		slices.Sort(f.rows)
		folded = append(folded, f)
	}
	slices.SortFunc(folded, func(a, b *kindOfJob) int {
		return cmp.Or(cmp.Compare(len(b.rows), len(a.rows)), strings.Compare(a.key, b.key))
	})
	if len(folded) > 8 { // wants as many as jobs: each row has its own then
		all := folded[7]
		all.key = "other"
		for _, f := range folded[8:] {
			all.rows, all.folded = append(all.rows, f.rows...), all.folded+f.folded
		}
		slices.Sort(all.rows)
		all.wants = t.commonest(all.rows, func(j *jobRow) int32 { return j.wants })
		folded = folded[:8]
	}
	out = append(out, folded...)
	names := map[string]bool{}
	for n, k := range out {
		k.name = unique(className(k.key), names)
		if k.project < 0 {
			k.project = t.commonest(k.rows, func(j *jobRow) int32 { return j.project })
		}
		for _, i := range k.rows {
			t.rows[i].class = int32(n)
		}
	}
	return out
}

// keys returns what makes jobs alike.
func (t *taking) keys() (func(*jobRow) string, Guess) {
	switch {
	case t.has(roleClass):
		return func(j *jobRow) string { return t.words[j.class] }, Guess{
			"classes", "column " + t.columns[t.at[roleClass]].name, "its name", "--column class=NAME",
		}
	case t.has(roleName):
		keys, parts := t.nameKeys()
		why := "names are alike that differ in numbers, hashes and branches"
		if t.has(roleProject) {
			why += ", of a project"
		}
		return func(j *jobRow) string {
			key := keys[j.name]
			if t.has(roleProject) && parts < mostClasses && j.project > 0 {
				key += " " + t.words[j.project]
			}
			return key
		}, Guess{"classes", fmt.Sprintf("by the names in column %s", t.columns[t.at[roleName]].name), why, "--column class=NAME"}
	case t.has(roleProject):
		return func(j *jobRow) string { return t.words[j.project] }, Guess{
			"classes", "column " + t.columns[t.at[roleProject]].name, "no column names jobs", "--column class=NAME",
		}
	case t.has(roleWants):
		return func(j *jobRow) string { return t.words[j.wants] }, Guess{
			"classes", "by what jobs want", "no column names jobs", "--column class=NAME",
		}
	}
	return func(*jobRow) string { return "jobs" }, Guess{"classes", "one", "no column says what jobs are alike", "--column class=NAME"}
}

// nameKeys gives each name, as shapeOf left it, what it has in common with those like it, and
// how many of those there are.
func (t *taking) nameKeys() (map[int32]string, int) {
	places := map[[2]int]map[string]int{} // by length and place: words
	parted := map[int32][]string{}
	for i := range t.rows {
		n := t.rows[i].name
		if _, seen := parted[n]; seen {
			continue
		}
		list := strings.Fields(t.words[n])
		parted[n] = list
		for at, w := range list {
			in := [2]int{len(list), at}
			if places[in] == nil {
				places[in] = map[string]int{}
			}
			places[in][w]++
		}
	}
	keys, different := map[int32]string{}, map[string]bool{}
	for n, list := range parted {
		var kept []string
		for at, w := range list {
			// A place in which nearly every name has a word of its own says nothing of what they
			// have in common.
			words, all := places[[2]int{len(list), at}], 0
			if w != "#" {
				for _, k := range words {
					all += k
				}
				if len(list) == 1 || len(words) <= 30 || 10*len(words) <= 9*all {
					kept = append(kept, w)
				}
			}
		}
		key := strings.Join(kept, " ")
		if key == "" {
			key = "jobs"
		}
		keys[n] = key
		different[key] = true
	}
	return keys, len(different)
}

// shapeOf appends a name in lower case, its words parted by blanks, with # for what counts or
// hashes and for the branch that the job built, whatever signs part that.
func shapeOf(b []byte, name, branch string) []byte {
	from, to := branchIn(name, branch)
	begin := len(b)
	flush := func(start int) {
		if len(b) == start {
			return
		}
		if counts(b[start:]) {
			b = append(b[:start], '#')
		}
	}
	word := begin
	for i, r := range name {
		if i >= from && i < to {
			if i == from {
				flush(word)
				if len(b) > begin && b[len(b)-1] != ' ' {
					b = append(b, ' ')
				}
				b = append(b, '#', ' ')
				word = len(b)
			}
			continue
		}
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '+' {
			b = utf8.AppendRune(b, unicode.ToLower(r))
			continue
		}
		flush(word)
		if len(b) > begin && b[len(b)-1] != ' ' {
			b = append(b, ' ')
		}
		word = len(b)
	}
	flush(word)
	if len(b) > begin && b[len(b)-1] == ' ' {
		b = b[:len(b)-1]
	}
	return b
}

// branchIn finds a branch within a name, as a word of it: its signs may be others there.
func branchIn(name, branch string) (from, to int) {
	if len(branch) < 2 || len(branch) > len(name) {
		return len(name), len(name)
	}
	for i := 0; i+len(branch) <= len(name); i++ {
		if wordAt(name, i-1) && wordAt(name, i) || wordAt(name, i+len(branch)) {
			continue
		}
		same := true
		for k := 0; k < len(branch) && same; k++ {
			x, y := lower(name[i+k]), lower(branch[k])
			same = x == y || !isWord(x) && !isWord(y)
		}
		if same {
			return i, i + len(branch)
		}
	}
	return len(name), len(name)
}

func lower(c byte) byte {
	if c >= 'A' && c <= 'Z' {
		return c + 'a' - 'A'
	}
	return c
}

func isWord(c byte) bool { return c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c >= 0x80 }

// wordAt reports whether a letter or digit stands at a place.
func wordAt(s string, i int) bool { return i >= 0 && i < len(s) && isWord(lower(s[i])) }

// counts reports whether a word is a number, a hash, or a version.
func counts(w []byte) bool {
	digits, hex, others := 0, 0, 0
	for _, r := range w {
		switch {
		case r >= '0' && r <= '9':
			digits++
		case r >= 'a' && r <= 'f':
			hex++
		default:
			others++
		}
	}
	switch {
	case digits == 0:
		return false
	case hex+others == 0:
		return true
	case others == 0:
		return len(w) >= 6
	case others == 1 && hex == 0 && len(w) > 1 && (w[0] == 'v' || w[0] == 'r' || w[0] == 'n'):
		return true // v12
	}
	return false
}

// commonest is the value that most of some jobs have.
func (t *taking) commonest(rows []int32, of func(*jobRow) int32) int32 {
	count := map[int32]int{}
	best, most := int32(0), 0
	for _, i := range rows {
		v := of(&t.rows[i])
		if count[v]++; count[v] > most || count[v] == most && v < best {
			best, most = v, count[v]
		}
	}
	return best
}

// className makes a name of a class out of what its jobs have in common.
func className(key string) string {
	var b strings.Builder
	dash := false
	for _, r := range strings.ToLower(key) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			if dash && b.Len() > 0 {
				b.WriteByte('-')
			}
			b.WriteRune(r)
			dash = false
		case unicode.IsLetter(r) && b.Len() < 50:
			if dash && b.Len() > 0 {
				b.WriteByte('-')
			}
			b.WriteRune(r)
			dash = false
		default:
			dash = true
		}
		if b.Len() >= 50 {
			break
		}
	}
	if b.Len() == 0 {
		return "jobs"
	}
	return b.String()
}

// unique makes a name that is not taken.
func unique(name string, taken map[string]bool) string {
	out := name
	for n := 2; taken[out]; n++ {
		out = fmt.Sprintf("%s-%d", name, n)
	}
	taken[out] = true
	return out
}
