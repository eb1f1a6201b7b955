package logs

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"tachyphor/core/learn"
	"tachyphor/core/units"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// A shape is a way to write a job log, with what should be understood of it.
type shape struct {
	name   string
	header []string // none: there is no header
	row    func(*Job) []string
	comma  rune // 0: a comma
	pack   func([]byte) []byte
	o      learn.JobOptions
	// lacks are what the shape does not tell of a job: class, work, wants, result, memory,
	// branch.
	lacks string
	// left is how many rows make no job beside those that never started.
	left int
	// refused is part of why it is refused.
	refused string
}

const (
	plainTime = "2006-01-02 15:04:05"
	usualHead = "id,job,branch,queued_at,started_at,finished_at,labels,status,peak_memory_mb"
)

func at(layout string) func(*Job) []string {
	return func(j *Job) []string {
		return []string{
			strconv.Itoa(j.Number), j.Name(), j.Branch, j.Submitted.Format(layout), j.Started.Format(layout), j.Ended.Format(layout),
			strings.Join(j.Wants, " "), map[string]string{"done": "SUCCESS", "failed": "FAILURE", "cut": "ABORTED", "never": "SKIPPED"}[j.Result],
			fmt.Sprintf("%.0f", j.Memory/1e6),
		}
	}
}

// numbered writes moments as numbers.
func numbered(per time.Duration) func(*Job) []string {
	return func(j *Job) []string {
		row := at(plainTime)(j)
		for i, t := range []time.Time{j.Submitted, j.Started, j.Ended} {
			row[3+i] = strconv.FormatInt(t.UnixNano()/int64(per), 10)
		}
		return row
	}
}

// bare is the usual row with names that do not hold the branch.
func bare(place int, value func(*Job) string) func(*Job) []string {
	return func(j *Job) []string {
		row := with(place, value)(j)
		row[1] = fmt.Sprintf("%s-%d", j.Class, j.Number)
		return row
	}
}

// with puts another value into a place of the usual row.
func with(place int, value func(*Job) string) func(*Job) []string {
	return func(j *Job) []string {
		row := at(plainTime)(j)
		row[place] = value(j)
		return row
	}
}

// worked writes a duration in place of the end.
func worked(value func(*Job) string) func(*Job) []string {
	return with(5, value)
}

func names(s string) []string { return strings.Split(s, ",") }

// renamed is the usual header with another name.
func renamed(from, to string) []string { return names(strings.Replace(usualHead, from, to, 1)) }

func encoded(e encoding.Encoding) func([]byte) []byte {
	return func(b []byte) []byte {
		out, err := e.NewEncoder().Bytes(b)
		if err != nil {
			panic(err)
		}
		return out
	}
}

func gzipped(b []byte) []byte {
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, _ = w.Write(b)
	_ = w.Close()
	return out.Bytes()
}

func zstandard(b []byte) []byte {
	w, _ := zstd.NewWriter(nil)
	return w.EncodeAll(b, nil)
}

func before(text string) func([]byte) []byte {
	return func(b []byte) []byte { return append([]byte(text), b...) }
}

func behind(text string) func([]byte) []byte {
	return func(b []byte) []byte { return append(b, text...) }
}

// again writes some rows twice, a blank one, the header once more and a sum at the end.
func again(b []byte) []byte {
	lines := strings.SplitAfter(string(b), "\n")
	out := strings.Join(lines[:50], "") + lines[20] + lines[20] + ",,,,,,,,\n\n" + lines[0] +
		strings.Join(lines[50:], "") + "Total,,,,,,,,4711\n"
	return []byte(out)
}

var oslo = func() units.Zone {
	z, err := units.ParseZone("Europe/Oslo")
	if err != nil {
		panic(err)
	}
	return z
}()

var shapes = []shape{
	// How it is parted, packed and encoded.
	{name: "as most are", header: names(usualHead), row: at(plainTime)},
	{name: "semicolons", header: names(usualHead), row: at(plainTime), comma: ';'},
	{name: "tabs", header: names(usualHead), row: at(plainTime), comma: '\t'},
	{name: "bars", header: names(usualHead), row: at(plainTime), comma: '|'},
	{name: "a tilde, told", header: names(usualHead), row: at(plainTime), comma: '~', o: learn.JobOptions{Delimiter: "~"}},
	{name: "a byte order mark", header: names(usualHead), row: at(plainTime), pack: before("\ufeff")},
	{
		name: "CRLF", header: names(usualHead), row: at(plainTime),
		pack: func(b []byte) []byte { return bytes.ReplaceAll(b, []byte("\n"), []byte("\r\n")) },
	},
	{
		name: "CR alone", header: names(usualHead), row: at(plainTime),
		pack: func(b []byte) []byte { return bytes.ReplaceAll(b, []byte("\n"), []byte("\r")) },
	},
	{name: "UTF-16", header: names(usualHead), row: at(plainTime), pack: encoded(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM))},
	{
		name: "UTF-16, other way, no mark", header: names(usualHead), row: at(plainTime),
		pack: encoded(unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)),
	},
	{
		name: "Latin-1", header: renamed("branch", "größe"), row: bare(2, func(*Job) string { return "größer" }),
		pack: encoded(charmap.ISO8859_1), lacks: "branch",
	},
	{
		name: "Windows-1252", header: renamed("branch", "“note”"), row: bare(2, func(*Job) string { return "5 €" }),
		pack: encoded(charmap.Windows1252), lacks: "branch",
	},
	{name: "gzip", header: names(usualHead), row: at(plainTime), pack: gzipped},
	{name: "zstd", header: names(usualHead), row: at(plainTime), pack: zstandard},
	{
		name: "gzip within zstd", header: names(usualHead), row: at(plainTime),
		pack: func(b []byte) []byte { return zstandard(gzipped(b)) },
	},
	{name: "JSON Lines", pack: func([]byte) []byte { return asJSON("lines") }, lacks: "branch"},
	{name: "a JSON array", pack: func([]byte) []byte { return asJSON("array") }, lacks: "branch"},
	{name: "an array within an object", pack: func([]byte) []byte { return asJSON("object") }, lacks: "branch"},
	{name: "Parquet", pack: func([]byte) []byte { return asParquet() }, lacks: "branch"},
	{name: "no header", row: bare(2, func(*Job) string { return "x" }), lacks: "branch memory wants"},
	{
		name: "no header, told", row: bare(2, func(*Job) string { return "x" }), lacks: "branch",
		o: learn.JobOptions{Columns: map[string]string{"wants": "7", "memory": "9", "name": "2"}, Units: map[string]string{"memory": "MB"}},
	},
	{
		name: "lines before the header", header: names(usualHead), row: at(plainTime),
		pack: before("Jobs of September\nmade on Monday\n\n"),
	},
	{name: "what says its delimiter first", header: names(usualHead), row: at(plainTime), comma: ';', pack: before("sep=;\n")},
	{name: "a comment as header", header: names("# " + usualHead), row: at(plainTime)},
	{
		name: "fields with line ends", header: renamed("branch", "note"),
		row: bare(2, func(*Job) string { return "first,\n\"second\"" }), lacks: "branch",
	},
	{
		name:   "names in capitals, with blanks",
		header: names("Build ID,Job Name,Git Branch,Queued At,Start Time,End Time,Runner Tags,Build Status,Max Memory (MB)"),
		row:    at(plainTime),
	},
	{
		name:   "names as programs write them",
		header: names("jobId,jobName,branchName,queuedAt,startedAt,finishedAt,tagList,finalState,peakMemoryMb"),
		row:    at(plainTime),
	},
	{
		name: "names in another language", header: names("nr,auftrag,zweig,eingereiht,beginn,ende,labels,ergebnis,speicher"),
		row: at(plainTime), lacks: "memory",
	},
	{
		name: "names that say nothing", header: names("c1,c2,c3,c4,c5,c6,c7,c8,c9"),
		row: bare(2, func(*Job) string { return "x" }), lacks: "branch memory wants",
	},

	// Times.
	{name: "RFC 3339", header: names(usualHead), row: at(time.RFC3339)},
	{name: "with an offset", header: names(usualHead), row: func(j *Job) []string {
		k := *j
		for _, t := range []*time.Time{&k.Submitted, &k.Started, &k.Ended} {
			*t = t.In(oslo.Location())
		}
		return at("2006-01-02 15:04:05 -0700")(&k)
	}},
	{name: "a zone that is told", header: names(usualHead), row: func(j *Job) []string {
		k := *j
		for _, t := range []*time.Time{&k.Submitted, &k.Started, &k.Ended} {
			*t = t.In(oslo.Location())
		}
		return at(plainTime)(&k)
	}, o: learn.JobOptions{Zone: oslo}},
	{name: "the month first", header: names(usualHead), row: at("1/2/2006 3:04:05 PM")},
	{name: "the day first", header: names(usualHead), row: at("2/1/2006 15:04:05")},
	{name: "the day first, by points", header: names(usualHead), row: at("02.01.2006 15:04:05")},
	{name: "months in words", header: names(usualHead), row: at("2 Jan 2006 15:04:05")},
	{name: "as C writes them", header: names(usualHead), row: at(time.ANSIC)},
	{name: "a T and no zone", header: names(usualHead), row: at("2006-01-02T15:04:05.000")},
	{name: "UTC behind", header: names(usualHead), row: at("2006-01-02 15:04:05 UTC")},
	{name: "seconds", header: names(usualHead), row: numbered(time.Second)},
	{name: "milliseconds", header: names(usualHead), row: numbered(time.Millisecond)},
	{name: "microseconds", header: names(usualHead), row: numbered(time.Microsecond)},
	{name: "nanoseconds", header: names(usualHead), row: numbered(time.Nanosecond)},
	{name: "seconds with parts", header: names(usualHead), row: func(j *Job) []string {
		row := at(plainTime)(j)
		for i, t := range []time.Time{j.Submitted, j.Started, j.Ended} {
			row[3+i] = fmt.Sprintf("%d.000", t.Unix())
		}
		return row
	}},
	{
		name: "how long it waited", header: renamed("queued_at", "queue_seconds"),
		row: with(3, func(j *Job) string { return fmt.Sprint(j.Started.Sub(j.Submitted).Seconds()) }), refused: "",
	},
	{
		name: "ends and durations alone", header: names("id,job,branch,note,duration_s,finished_at,labels,status,peak_memory_mb"), lacks: "submitted", row: func(j *Job) []string {
			row := at(plainTime)(j)
			row[3], row[4] = "x", fmt.Sprint(j.Work().Seconds())
			return row
		},
	},

	// Durations.
	{
		name: "seconds as durations", header: renamed("finished_at", "duration"),
		row: worked(func(j *Job) string { return fmt.Sprint(j.Work().Seconds()) }),
	},
	{
		name: "ms by name", header: renamed("finished_at", "duration_ms"),
		row: worked(func(j *Job) string { return fmt.Sprint(j.Work().Milliseconds()) }),
	},
	{
		name: "ms by size", header: renamed("finished_at", "duration"),
		row: worked(func(j *Job) string { return fmt.Sprint(j.Work().Milliseconds()) }),
	},
	{
		name: "minutes by name", header: renamed("finished_at", "Duration (min)"),
		row: worked(func(j *Job) string { return fmt.Sprintf("%.4f", j.Work().Minutes()) }),
	},
	{
		name: "hours, told", header: renamed("finished_at", "duration"),
		row: worked(func(j *Job) string { return fmt.Sprintf("%.6f", j.Work().Hours()) }),
		o:   learn.JobOptions{Units: map[string]string{"work": "h"}},
	},
	{name: "h:mm:ss", header: renamed("finished_at", "elapsed"), row: worked(func(j *Job) string {
		s := int(j.Work().Seconds())
		return fmt.Sprintf("%d:%02d:%02d", s/3600, s/60%60, s%60)
	})},
	{name: "mm:ss", header: renamed("finished_at", "elapsed"), row: worked(func(j *Job) string {
		s := int(j.Work().Seconds())
		return fmt.Sprintf("%d:%02d", s/60, s%60)
	})},
	{name: "as Go writes them", header: renamed("finished_at", "took"), row: worked(func(j *Job) string { return j.Work().String() })},
	{name: "ISO 8601", header: renamed("finished_at", "took"), row: worked(func(j *Job) string {
		s := int(j.Work().Seconds())
		return fmt.Sprintf("PT%dM%dS", s/60, s%60)
	})},
	{name: "in words", header: renamed("finished_at", "took"), row: worked(func(j *Job) string {
		s := int(j.Work().Seconds())
		return fmt.Sprintf("%d min %d sec", s/60, s%60)
	})},
	{
		name: "a decimal comma", header: renamed("finished_at", "dauer"),
		row: worked(func(j *Job) string { return fmt.Sprintf("%d,0", int(j.Work().Seconds())) }), comma: ';',
	},
	{name: "thousands parted", header: renamed("finished_at", "duration_ms"), row: worked(func(j *Job) string {
		n := strconv.FormatInt(j.Work().Milliseconds(), 10)
		for i := len(n) - 3; i > 0; i -= 3 {
			n = n[:i] + "," + n[i:]
		}
		return n + ".0"
	})},

	// Sizes, wants, results.
	{
		name: "memory in bytes", header: renamed("peak_memory_mb", "max_rss"),
		row: with(8, func(j *Job) string { return fmt.Sprintf("%.0f", j.Memory) }),
	},
	{
		name: "memory in KiB by size", header: renamed("peak_memory_mb", "memory"),
		row: with(8, func(j *Job) string { return fmt.Sprintf("%.3f", j.Memory/1024) }),
	},
	{
		name: "memory in MiB by name", header: renamed("peak_memory_mb", "mem_mib"),
		row: with(8, func(j *Job) string { return fmt.Sprintf("%.6f", j.Memory/(1<<20)) }),
	},
	{
		name: "memory with its unit", header: renamed("peak_memory_mb", "memory"),
		row: with(8, func(j *Job) string { return fmt.Sprintf("%.0f MB", j.Memory/1e6) }),
	},
	{
		name: "wants as a JSON list", header: names(usualHead),
		row: with(6, func(j *Job) string { return `["` + strings.Join(j.Wants, `", "`) + `"]` }),
	},
	{
		name: "wants in brackets", header: names(usualHead),
		row: with(6, func(j *Job) string { return "[" + strings.Join(j.Wants, ",") + "]" }),
	},
	{name: "wants by commas", header: names(usualHead), row: with(6, func(j *Job) string { return strings.Join(j.Wants, ", ") })},
	{
		name: "wants by ampersands", header: names(usualHead),
		row: with(6, func(j *Job) string { return strings.Join(j.Wants, " && ") }),
	},
	{name: "exit codes", header: renamed("status", "exit_code"), row: with(7, func(j *Job) string {
		return map[string]string{"done": "0", "failed": "1", "cut": "143", "never": "never"}[j.Result]
	})},
	{name: "results in words of their own", header: names(usualHead), row: with(7, func(j *Job) string {
		return map[string]string{"done": "lovely", "failed": "meh", "cut": "gone", "never": "nope"}[j.Result]
	}), o: learn.JobOptions{Results: map[string]learn.Ending{
		"lovely": learn.Done, "meh": learn.Failed, "gone": learn.Cut, "nope": learn.Never,
	}}},
	{name: "a class column", header: renamed("job", "class"), row: with(1, func(j *Job) string { return j.Class })},
	{name: "rows that are no jobs", header: names(usualHead), row: at(plainTime), pack: again, left: 5},
	{
		name: "rows of other widths", header: names(usualHead), row: at(plainTime), pack: behind("a,b,c\n1,2\n"),
		o: learn.JobOptions{SkipBad: true}, left: 2,
	},
	{
		name: "what stands for nothing", header: append(names(usualHead), "cache"),
		row: func(j *Job) []string { return append(at(plainTime)(j), "N/A") },
	},

	// What is refused.
	{name: "ms that are called seconds", header: append(names(usualHead), "duration_s"), row: func(j *Job) []string {
		return append(at(plainTime)(j), fmt.Sprint(j.Work().Milliseconds()))
	}, refused: "--unit work=ms"},
	{name: "ms beside their ends", header: append(names(usualHead), "duration"), row: func(j *Job) []string {
		return append(at(plainTime)(j), fmt.Sprint(j.Work().Milliseconds()))
	}, refused: "1000 times what finished_at − started_at comes to"},
	{
		name: "peaks that no process has", header: renamed("peak_memory_mb", "memory_bytes"), row: at(plainTime),
		refused: "--unit memory=MiB",
	},
	{name: "the day or the month first", header: names(usualHead), row: func(j *Job) []string {
		k := *j
		for _, t := range []*time.Time{&k.Submitted, &k.Started, &k.Ended} {
			*t = time.Date(2026, 9, 1+t.Day()%12, t.Hour(), t.Minute(), t.Second(), 0, time.UTC)
		}
		k.Ended = k.Started.Add(time.Minute)
		k.Submitted = k.Started.Add(-time.Second)
		return at("02/01/2006 15:04:05")(&k)
	}, refused: "--dates day-first or --dates month-first"},
	{
		name: "a comma for thousands or a fraction", header: renamed("finished_at", "duration"),
		row: worked(func(*Job) string { return "1,500" }), refused: "--decimal",
	},
	{
		name: "starts and ends the wrong way", header: renamed("started_at,finished_at", "finished_at,started_at"),
		row: at(plainTime), refused: "in most rows",
	},
	{
		name: "words nobody knows", header: names(usualHead), row: with(7, func(*Job) string { return "wobbly" }),
		refused: `--result wobbly=done`,
	},
	{name: "some rows backwards", header: names(usualHead), row: func(j *Job) []string {
		row := at(plainTime)(j)
		if j.Number%50 == 0 {
			row[4], row[5] = row[5], row[4]
		}
		return row
	}, refused: "cannot be used"},
	{
		name: "no times", header: names("id,job,labels"), row: func(j *Job) []string { return []string{"1", "x", "y"} },
		refused: "no column tells when jobs came",
	},
	{
		name: "no work", header: names("id,job,queued_at"),
		row:     func(j *Job) []string { return []string{"1", j.Class, j.Submitted.Format(plainTime)} },
		refused: "how long jobs worked",
	},
	{name: "years", header: names(usualHead), row: func(j *Job) []string {
		k := *j
		if k.Number%2 == 0 {
			for _, t := range []*time.Time{&k.Submitted, &k.Started, &k.Ended} {
				*t = t.AddDate(-2, 0, 0)
			}
		}
		return at(plainTime)(&k)
	}, refused: "at most 400"},
	{name: "nothing", pack: func([]byte) []byte { return nil }, refused: "it is empty"},
	{name: "blanks", pack: func([]byte) []byte { return []byte(" \n\t\n") }, refused: "only white space"},
	{name: "a header alone", header: names(usualHead), row: func(*Job) []string { return nil }, refused: "no column tells when"},
	{
		name: "a picture", pack: func([]byte) []byte { return append([]byte("\x89PNG\r\n\x1a\n"), make([]byte, 4000)...) },
		refused: "neither text",
	},
	{name: "a spreadsheet", pack: func([]byte) []byte { return []byte("PK\x03\x04\x14\x00\x06\x00") }, refused: "save its table as CSV"},
	{name: "a database", pack: func([]byte) []byte { return []byte("SQLite format 3\x00\x10") }, refused: "a SQLite database"},
	{name: "columns without end", pack: func([]byte) []byte { return []byte(strings.Repeat("a,", 5000) + "\n") }, refused: "500 at most"},
	{
		name: "fields without end", refused: "500 at most",
		pack: func([]byte) []byte {
			var b strings.Builder
			for i := range 5000 {
				fmt.Fprintf(&b, "{\"f%d\": 1}\n", i)
			}
			return []byte(b.String())
		},
	},
	{name: "UTF-32", pack: func([]byte) []byte { return []byte("\xff\xfe\x00\x00i\x00\x00\x00d\x00\x00\x00") }, refused: "UTF-32"},
	{
		name: "gzip cut short", header: names(usualHead), row: at(plainTime),
		pack: func(b []byte) []byte { z := gzipped(b); return z[:len(z)/2] }, refused: "damaged or cut short",
	},
	{name: "JSON cut short", pack: func([]byte) []byte { b := asJSON("array"); return b[:len(b)/2] }, refused: "cut short"},
	{
		name: "Parquet cut short", pack: func([]byte) []byte { b := asParquet(); return b[:len(b)/2] },
		refused: "not a whole Parquet file",
	},
	{
		name:    "a page of the web",
		pack:    func([]byte) []byte { return []byte("<html><body><h1>Sign in</h1>\n<p>please, do</p></body></html>\n") },
		refused: "no column tells when",
	},
	{
		name: "a column that is not there", header: names(usualHead), row: at(plainTime),
		o: learn.JobOptions{Columns: map[string]string{"work": "duratoin"}}, refused: `there is no column "duratoin"`,
	},
	{
		name: "a role that is none", header: names(usualHead), row: at(plainTime),
		o: learn.JobOptions{Columns: map[string]string{"wrok": "job"}}, refused: "did you mean work",
	},
	{
		name: "a unit of nothing", header: names(usualHead), row: at(plainTime),
		o: learn.JobOptions{Units: map[string]string{"branch": "s"}}, refused: "a unit is given for",
	},
	{
		name: "an encoding that it is not in", header: names(usualHead), row: with(2, func(*Job) string { return "ö" }),
		pack: encoded(charmap.ISO8859_1), o: learn.JobOptions{Encoding: "utf-8"}, refused: "it is not UTF-8",
	},
}

// truth is what every shape tells.
var truth = Make(7, time.Date(2026, 9, 3, 0, 0, 0, 0, time.UTC), 12)

// A record is a job as JSON and Parquet hold it.
type record struct {
	ID     int64    `json:"id" parquet:"id"`
	Job    string   `json:"job" parquet:"job"`
	Labels []string `json:"labels" parquet:"labels"`
	Status string   `json:"status" parquet:"status"`
	Peak   int64    `json:"peakMemoryBytes" parquet:"peak_memory_bytes"`
	Times  struct {
		Queued   time.Time `json:"queuedAt"`
		Started  time.Time `json:"startedAt"`
		Finished time.Time `json:"finishedAt"`
	} `json:"times" parquet:"-"`
	Queued   time.Time `json:"-" parquet:"queued_at,timestamp(microsecond)"`
	Started  time.Time `json:"-" parquet:"started_at,timestamp(microsecond)"`
	Finished time.Time `json:"-" parquet:"finished_at,timestamp(microsecond)"`
}

func records() []record {
	out := make([]record, len(truth))
	for i := range truth {
		j, row := &truth[i], at(plainTime)(&truth[i])
		out[i] = record{
			ID: int64(j.Number), Job: fmt.Sprintf("%s #%d", j.Class, j.Number), Labels: j.Wants, Status: row[7],
			Peak: int64(j.Memory), Queued: j.Submitted, Started: j.Started, Finished: j.Ended,
		}
		out[i].Times.Queued, out[i].Times.Started, out[i].Times.Finished = j.Submitted, j.Started, j.Ended
	}
	return out
}

func asJSON(form string) []byte {
	var out bytes.Buffer
	list := records()
	switch form {
	case "lines":
		e := json.NewEncoder(&out)
		for i := range list {
			_ = e.Encode(list[i])
		}
	case "array":
		b, _ := json.MarshalIndent(list, "", "  ")
		out.Write(b)
	default:
		b, _ := json.Marshal(map[string]any{"total": len(list), "jobs": list, "pages": []int{1, 2}})
		out.Write(b)
	}
	return out.Bytes()
}

func asParquet() []byte {
	var out bytes.Buffer
	w := parquet.NewGenericWriter[record](&out)
	_, _ = w.Write(records())
	_ = w.Close()
	return out.Bytes()
}

// file writes the truth in a shape.
func (s *shape) file() []byte {
	var out bytes.Buffer
	if s.row != nil {
		w := csv.NewWriter(&out)
		if s.comma != 0 {
			w.Comma = s.comma
		}
		if s.header != nil {
			_ = w.Write(s.header)
		}
		for i := range truth {
			if row := s.row(&truth[i]); row != nil {
				_ = w.Write(row)
			}
		}
		w.Flush()
	}
	if s.pack != nil {
		return s.pack(out.Bytes())
	}
	return out.Bytes()
}

func TestShapes(t *testing.T) {
	if len(shapes) < 40 {
		t.Fatal(len(shapes))
	}
	for _, s := range shapes {
		t.Run(s.name, func(t *testing.T) {
			t.Parallel()
			s.o.Name = "shape"
			got, err := learn.Jobs([]learn.File{{Name: "log", Data: s.file()}}, s.o, nil)
			if s.refused != "" {
				if err == nil || !strings.Contains(err.Error(), s.refused) {
					t.Fatalf("%v, want it refused with %q", err, s.refused)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			s.holds(t, got)
		})
	}
}

// holds checks what was understood against the truth.
func (s *shape) holds(t *testing.T, got *learn.LearnedJobs) {
	t.Helper()
	tells := func(what string) bool { return !strings.Contains(" "+s.lacks+" ", " "+what+" ") }
	log, err := csv.NewReader(bytes.NewReader(got.Log)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]int{}
	for i, name := range log[0] {
		at[name] = i
	}
	left := 0
	for _, c := range got.Left {
		if c.What != "before the header" {
			left += c.Rows
		}
	}
	if left != s.left {
		t.Errorf("%d rows left out, want %d: %+v", left, s.left, got.Left)
	}
	n := 0
	for i := range truth {
		j := &truth[i]
		if j.Result == "never" {
			continue
		}
		n++
		if n >= len(log) {
			t.Fatalf("%d jobs", len(log)-1)
		}
		row := log[n]
		value := func(name string) string {
			if k, ok := at[name]; ok {
				return row[k]
			}
			return ""
		}
		wrong := func(what string, want any) {
			t.Fatalf("job %d: %s is %q, want %v", j.Number, what, value(what), want)
		}
		want := j.Submitted
		if !tells("submitted") {
			want = j.Started
		}
		if m, err := time.Parse(time.RFC3339Nano, value("submitted")); err != nil || !m.Equal(want) {
			wrong("submitted", want)
		}
		if value("class") != j.Class {
			wrong("class", j.Class)
		}
		if j.Result == "cut" {
			if value("work") != "" {
				wrong("work", "")
			}
		} else if w, err := strconv.ParseFloat(value("work"), 64); err != nil || w < j.Work().Seconds()-0.005 || w > j.Work().Seconds()+0.005 {
			wrong("work", j.Work())
		}
		if tells("branch") && value("branch") != map[bool]string{true: "trunk", false: "change"}[j.Branch == "main"] {
			wrong("branch", j.Branch)
		}
		if tells("memory") {
			if m, err := strconv.ParseFloat(value("memory"), 64); err != nil || m < j.Memory-1e5 || m > j.Memory+1e5 {
				wrong("memory", j.Memory)
			}
		}
	}
	if n != len(log)-1 || n != got.Jobs {
		t.Errorf("%d jobs, and %d said, want %d", len(log)-1, got.Jobs, n)
	}
	if tells("wants") {
		for _, c := range got.Classes {
			for _, k := range Classes {
				if c.Name == k.Name && strings.Join(c.Wants, " ") != strings.Join(k.Wants, " ") {
					t.Errorf("%s wants %v", c.Name, c.Wants)
				}
			}
		}
	}
	if len(got.Classes) != len(Classes) {
		t.Errorf("%d classes", len(got.Classes))
	}
}
