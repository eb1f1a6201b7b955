package demand

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

var errTooMany = fmt.Errorf("more than %d jobs; shorten the span or lower the rates", MaxJobs)

// A Recording is a job log as it was read, before it is bound to the classes of
// a workload.
type Recording struct {
	rows rows
	table.Refused
	ids map[string]struct{}
	// words are the texts that many rows share, once each, and lists what they hold.
	words map[string]string
	lists map[string][]string
}

// Len returns the number of good rows.
func (r *Recording) Len() int { return r.rows.n }

// A row is one job, small: there are millions of them.
type row struct {
	id, class string
	at        int64          // when it was submitted, ns: since 1970 when dated, else since the workload's start
	work      units.Duration // < 0 when unknown
	memory    units.Bytes    // peak; < 0 when unknown, as the next
	disk      units.Bytes    // peak
	named     *named         // nil when it names no wants and no jobs
	ran       *ran           // nil when the log does not name the pod
	phases    *PhaseTimes    // nil when the log does not say what it waited for
	cores     float32        // < 0 when unknown
	waited    float32        // from submission to start, s; < 0 when unknown, as the next
	took      float32        // from start to end, s
	line      int32
	dated     bool
	change    bool
	found     Found
}

// named is what few rows name.
type named struct {
	wants []string // nil when the class says
	after []string // ids
}

func (w *row) wants() []string {
	if w.named == nil {
		return nil
	}
	return w.named.wants
}

func (w *row) after() []string {
	if w.named == nil {
		return nil
	}
	return w.named.after
}

// since is when the job was submitted, since a moment that the workload starts at.
func (w *row) since(start time.Time) units.Duration {
	if !w.dated {
		return units.Duration(w.at)
	}
	return units.Duration(time.Unix(0, w.at).Sub(start))
}

// rows are kept in blocks, so that they need not be copied to make room.
type rows struct {
	blocks [][]row
	n      int
}

const rowsInBlock = 4096

func (r *rows) add(w row) {
	if r.n%rowsInBlock == 0 {
		r.blocks = append(r.blocks, make([]row, 0, rowsInBlock))
	}
	b := &r.blocks[len(r.blocks)-1]
	*b = append(*b, w)
	r.n++
}

func (r *rows) at(i int) *row { return &r.blocks[i/rowsInBlock][i%rowsInBlock] }

func (r *rows) each(f func(*row)) {
	for _, b := range r.blocks {
		for i := range b {
			f(&b[i])
		}
	}
}

// ran is where and when a job ran.
type ran struct {
	pod      string
	from, to float64 // seconds since 1970; NaN when the log does not say
}

// A Ran is a recorded job with the pod that it ran in.
type Ran struct {
	Pod, ID, Class string
	From, To       float64 // seconds since 1970; NaN when the log does not say
}

// Ran lists the jobs whose pods the log names.
func (r *Recording) Ran() []Ran {
	var out []Ran
	r.rows.each(func(j *row) {
		if j.ran != nil {
			out = append(out, Ran{j.ran.pod, j.id, j.class, j.ran.from, j.ran.to})
		}
	})
	return out
}

// columns are what a recording may have; those without a reader are left alone.
var columns = document.RecordedColumns()

// columnAt numbers them.
var columnAt = func() map[string]int {
	at := make(map[string]int, len(columns))
	for i, name := range columns {
		at[name] = i
	}
	return at
}()

// Read reads a recording: CSV with a header that names columns, JSON Lines, one
// object a line, or Parquet, told apart by the first bytes. theirs gives the
// file's own names of our columns; it may be nil. Numbers count as seconds or plain
// amounts. Bad rows are counted and
// described; they are not among the good ones. The error is for a file that
// cannot be read as a recording at all.
func Read(src io.Reader, theirs map[string]string) (*Recording, error) {
	r := &Recording{ids: map[string]struct{}{}, words: map[string]string{}, lists: map[string][]string{}}
	defer func() { r.ids, r.words, r.lists = nil, nil, nil }() // only needed while reading
	return r, table.Read(src, table.Columns{
		Names: columns, Lists: []string{"wants", "after"}, Must: []string{"submitted", "class"}, Theirs: theirs,
	}, r.take, r.Refuse)
}

// Parse is Read for data at hand.
func Parse(data []byte, theirs map[string]string) (*Recording, error) {
	return Read(bytes.NewReader(data), theirs)
}

// take reads one row.
func (r *Recording) take(field table.Row, line int) error {
	get := func(name string) string { return field[columnAt[name]] }
	got, bad := r.readRow(get, line)
	if _, twice := r.ids[got.id]; twice && bad == nil {
		bad = &table.BadRow{Line: line, Column: "id", Found: got.id, Reason: "an earlier row has the same id"}
	}
	if bad != nil {
		r.Refuse(*bad)
		return nil
	}
	if got.id == "" {
		got.id = "row-" + strconv.Itoa(line)
	}
	r.ids[got.id] = struct{}{}
	if r.rows.add(got); r.rows.n > MaxJobs {
		return errTooMany
	}
	return nil
}

// mostShared bounds the texts that are looked for in earlier rows.
const mostShared = 10_000

// shared returns a text that does not hold on to what it was read from, the same for many
// rows.
func (r *Recording) shared(s string) string {
	if known, ok := r.words[s]; ok {
		return known
	}
	s = strings.Clone(s)
	if len(r.words) < mostShared {
		r.words[s] = s
	}
	return s
}

// list splits a list, the same for many rows.
func (r *Recording) list(s string) []string {
	if s == "" {
		return nil
	}
	if known, ok := r.lists[s]; ok {
		return known
	}
	list := words(s)
	if len(r.lists) < mostShared {
		r.lists[strings.Clone(s)] = list
	}
	return list
}

// readRow reads one job.
func (r *Recording) readRow(get func(name string) string, line int) (row, *table.BadRow) {
	bad := func(name, reason string) *table.BadRow {
		return &table.BadRow{Line: line, Column: name, Found: get(name), Reason: reason}
	}
	got := row{line: int32(min(line, math.MaxInt32)), id: strings.Clone(get("id")), class: r.shared(get("class")), work: -1}
	if got.class == "" {
		return got, bad("class", "empty; every job has a class")
	}
	if strings.ContainsFunc(got.id, unicode.IsControl) || strings.ContainsFunc(got.class, unicode.IsControl) {
		return got, bad("id", "id or class with control characters in it")
	}
	if len(got.id) > 120 || len(got.class) > 120 {
		return got, bad("id", "id or class longer than 120 characters")
	}
	at, offset, ok := readMoment(get("submitted"))
	if got.at, got.dated = int64(offset), !at.IsZero(); got.dated {
		got.at = at.UnixNano()
	}
	if !ok {
		return got, bad("submitted", "expected a time such as 2026-09-14T06:00:00Z, or seconds since the workload's start")
	}
	n := named{wants: r.list(get("wants")), after: words(get("after"))}
	if len(n.after) > maxAfter {
		return got, bad("after", fmt.Sprintf("more than %d jobs", maxAfter))
	}
	if n.wants != nil || n.after != nil {
		got.named = &n
	}
	b := get("branch")
	if b != "" && b != "trunk" && b != "change" {
		return got, bad("branch", "expected trunk or change")
	}
	got.change, got.cores, got.memory, got.disk, got.waited, got.took = b == "change", -1, -1, -1, -1, -1
	found, known := foundNames[get("cache")]
	if !known {
		return got, bad("cache", "expected none, stale or warm: what the job found of its workspace")
	}
	got.found = found
	if v := get("cores"); v != "" {
		c, err := units.ParseMilliCPU(v)
		if err != nil {
			return got, bad("cores", "expected cores, as in 1.5 or 1500m")
		}
		got.cores = float32(c.Cores())
	}
	for _, peak := range [...]struct {
		name string
		into *units.Bytes
	}{{"memory", &got.memory}, {"disk", &got.disk}} {
		if v := get(peak.name); v != "" {
			n, err := units.ParseBytes(v)
			if err != nil {
				return got, bad(peak.name, "expected bytes, as in 3Gi")
			}
			*peak.into = n
		}
	}
	if got.work, ok = readLength(get("work")); !ok {
		return got, bad("work", "expected a time such as 8m, or seconds")
	}
	if pod := get("pod"); pod != "" {
		if len(pod) > 253 {
			return got, bad("pod", "longer than the name of a pod can be")
		}
		got.ran = &ran{strings.Clone(pod), math.NaN(), math.NaN()}
	}
	if v := get("phases"); v != "" {
		phases, err := ParsePhases(v)
		if err != nil {
			return got, bad("phases", err.Error())
		}
		got.phases = phases
	}
	started, from, ok1 := readMoment(get("started"))
	if waited := from - offset + units.Duration(started.Sub(at)); ok1 && started.IsZero() == at.IsZero() && waited >= 0 {
		got.waited = float32(waited.Seconds())
	}
	if get("started") != "" && get("ended") != "" {
		ended, to, ok2 := readMoment(get("ended"))
		took := to - from + units.Duration(ended.Sub(started))
		if !ok1 || !ok2 || started.IsZero() != ended.IsZero() {
			return got, bad("ended", "started and ended must both be times, or both seconds")
		}
		if took < 0 {
			return got, bad("ended", "the job ended before it started")
		}
		got.took = float32(took.Seconds())
		if got.work < 0 {
			got.work = took
		}
		if got.ran != nil && !started.IsZero() {
			got.ran.from, got.ran.to = float64(started.UnixNano())/1e9, float64(ended.UnixNano())/1e9
		}
	}
	return got, nil
}

// maxAfter bounds how many jobs one job comes after.
const maxAfter = 1000

// words splits a list; nothing gives nil.
func words(s string) []string {
	if s == "" {
		return nil
	}
	return strings.FieldsFunc(strings.Clone(s), func(r rune) bool { return r == ' ' || r == ';' || r == '+' })
}

// maxOffset is the latest a job may come after the workload's start.
const maxOffset = 400 * units.Day

// readMoment reads an RFC 3339 time, or seconds since the workload's start.
func readMoment(s string) (time.Time, units.Duration, bool) {
	if sec, err := strconv.ParseFloat(s, 64); err == nil {
		return time.Time{}, units.Duration(math.Round(sec * 1e9)), sec >= 0 && sec <= maxOffset.Seconds()
	}
	t, err := time.Parse(time.RFC3339Nano, s)
	return t, 0, err == nil && t.Year() >= 1970 && t.Year() <= 2200
}

// readLength reads a duration or seconds; nothing gives -1.
func readLength(s string) (units.Duration, bool) {
	if s == "" {
		return -1, true
	}
	if sec, err := strconv.ParseFloat(s, 64); err == nil {
		return units.Duration(math.Round(sec * 1e9)), sec >= 0 && sec <= maxOffset.Seconds()
	}
	d, err := units.ParseDuration(s)
	return d, err == nil
}
