package demand

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

var errTooMany = fmt.Errorf("more than %d jobs; shorten the span or lower the rates", MaxJobs)

// A BadRow is a row of a recording that was refused.
type BadRow struct {
	Line   int    `json:"line" doc:"Line in the file, the header being 1; 0 where it has none."`
	Series string `json:"series,omitempty" doc:"Of answers of Prometheus: the series, by its name and labels."`
	Column string `json:"column,omitempty" doc:"Name of the column."`
	Found  string `json:"found,omitempty" doc:"What stands there."`
	Reason string `json:"reason" doc:"Why the row was refused."`
}

// String writes the row's fault on one line.
func (b BadRow) String() string {
	s := "line " + strconv.Itoa(b.Line)
	if b.Series != "" {
		s = "series " + b.Series
	}
	if b.Column != "" {
		s += ", column " + b.Column
	}
	if b.Found != "" {
		s += fmt.Sprintf(": found %q", b.Found)
	}
	return s + ": " + b.Reason
}

// A Recording is a job log as it was read, before it is bound to the classes of
// a workload.
type Recording struct {
	rows rows
	Bad  []BadRow // the first maxBad of them
	Bads int      // how many rows were refused
	ids  map[string]struct{}
	// words are the texts that many rows share, once each, and lists what they hold.
	words map[string]string
	lists map[string][]string
	// theirs are the file's own names of our columns, and mapped the other way
	// round; with some, columns that are neither are left out.
	theirs, mapped map[string]string
}

// Len returns the number of good rows.
func (r *Recording) Len() int { return r.rows.n }

const maxBad = 100

// A row is one job, small: there are millions of them.
type row struct {
	id, class string
	at        int64          // when it was submitted, ns: since 1970 when dated, else since the workload's start
	work      units.Duration // < 0 when unknown
	memory    units.Bytes    // peak; < 0 when unknown, as the next
	disk      units.Bytes    // peak
	named     *named         // nil when it names no wants and no jobs
	ran       *ran           // nil when the log does not name the pod
	cores     float32        // < 0 when unknown
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

// Read reads a recording: CSV with a header that names columns, JSON Lines, one
// object a line, or Parquet, told apart by the first bytes. theirs gives the
// file's own names of our columns; it may be nil. Bad rows are counted and
// described; they are not among the good ones. The error is for a file that
// cannot be read as a recording at all.
func Read(src io.Reader, theirs map[string]string) (*Recording, error) {
	in := bufio.NewReaderSize(src, 64<<10)
	r := &Recording{
		ids: map[string]struct{}{}, words: map[string]string{}, lists: map[string][]string{},
		theirs: theirs, mapped: make(map[string]string, len(theirs)),
	}
	for ours, their := range theirs {
		if twice, ok := r.mapped[their]; ok {
			return r, fmt.Errorf("column %q of the file is to be both %s and %s; map it once", their, min(ours, twice), max(ours, twice))
		}
		r.mapped[their] = ours
	}
	defer func() { r.ids, r.words, r.lists = nil, nil, nil }() // only needed while reading
	if magic, err := in.Peek(4); err == nil && string(magic) == table.ParquetMagic {
		return r, r.readParquet(in)
	}
	for {
		b, err := in.Peek(1)
		switch {
		case err == nil && (b[0] == ' ' || b[0] == '\t' || b[0] == '\n' || b[0] == '\r'):
			_, _ = in.Discard(1)
			continue
		case err == nil && b[0] == '{':
			return r, r.readJSONLines(in)
		}
		return r, r.readCSV(in)
	}
}

// Parse is Read for data at hand.
func Parse(data []byte, theirs map[string]string) (*Recording, error) {
	return Read(bytes.NewReader(data), theirs)
}

// ours returns our name of a file's column; "" for one that is left out, and an
// error for one that nothing is known of.
func (r *Recording) ours(name string) (string, error) {
	if our, ok := r.mapped[name]; ok {
		return our, nil
	}
	_, taken := r.theirs[name]
	switch {
	case slices.Contains(columns, name) && !taken:
		return name, nil
	case len(r.theirs) > 0:
		return "", nil
	}
	return "", errors.New(unknownColumn(name))
}

// take reads one row through a way to get its columns.
func (r *Recording) take(get func(name string) string, line int) error {
	got, bad := r.readRow(get, line)
	if _, twice := r.ids[got.id]; twice && bad == nil {
		bad = &BadRow{Line: line, Column: "id", Found: got.id, Reason: "an earlier row has the same id"}
	}
	if bad != nil {
		r.refuse(*bad)
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

// unknownColumn says which columns there are.
func unknownColumn(name string) string {
	hint := ""
	if near, ok := document.Nearest(name, columns); ok {
		hint = fmt.Sprintf("; did you mean %q?", near)
	}
	return fmt.Sprintf("unknown column %q; the columns are %s%s", name, strings.Join(columns, ", "), hint)
}

func (r *Recording) refuse(b BadRow) {
	r.Bads++
	b.Found = clip(b.Found)
	if len(r.Bad) < maxBad {
		r.Bad = append(r.Bad, b)
	}
}

func clip(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:57], "") + "..."
	}
	return s
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
func (r *Recording) readRow(get func(name string) string, line int) (row, *BadRow) {
	bad := func(name, reason string) *BadRow {
		return &BadRow{Line: line, Column: name, Found: get(name), Reason: reason}
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
	got.change, got.cores, got.memory, got.disk = b == "change", -1, -1, -1
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
	if get("started") != "" && get("ended") != "" {
		started, from, ok1 := readMoment(get("started"))
		ended, to, ok2 := readMoment(get("ended"))
		took := to - from + units.Duration(ended.Sub(started))
		if !ok1 || !ok2 || started.IsZero() != ended.IsZero() {
			return got, bad("ended", "started and ended must both be times, or both seconds")
		}
		if took < 0 {
			return got, bad("ended", "the job ended before it started")
		}
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
