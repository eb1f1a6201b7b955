package learn

import (
	"errors"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
)

// An order is which of day and month comes first where a date is written in numbers.
type order uint8

const (
	plainOrder order = iota // it cannot be mistaken
	dayFirst
	monthFirst
)

// A clockForm is one way to write a moment.
type clockForm struct {
	layout string  // of package time; empty: a number
	scale  float64 // of a number: seconds of 1
	zoned  bool    // it says its own zone
	order  order
	date   string // what layout begins with, where it is put together
}

// dates and times of the day that are put together to layouts. Package time takes one or
// two digits for each of day, month and hour, and parts of a second, unasked.
var (
	dateForms = []struct {
		layout string
		order  order
	}{
		{"2006-1-2", plainOrder},
		{"2006/1/2", plainOrder},
		{"2006.1.2", plainOrder},
		{"20060102", plainOrder},
		{"2.1.2006", plainOrder}, // parted by points the day is first wherever it is written so
		{"2.1.06", plainOrder},
		{"2/1/2006", dayFirst},
		{"1/2/2006", monthFirst},
		{"2-1-2006", dayFirst},
		{"1-2-2006", monthFirst},
		{"2/1/06", dayFirst},
		{"1/2/06", monthFirst},
		{"2 Jan 2006", plainOrder},
		{"2-Jan-2006", plainOrder},
		{"2/Jan/2006", plainOrder},
		{"2-Jan-06", plainOrder},
		{"Jan 2, 2006", plainOrder},
		{"Jan 2 2006", plainOrder},
		{"2 January 2006", plainOrder},
		{"January 2, 2006", plainOrder},
		{"Mon, 2 Jan 2006", plainOrder},
		{"Mon Jan 2 2006", plainOrder},
		{"Mon 2 Jan 2006", plainOrder},
	}
	gapForms  = []string{" ", "T", ", ", ":", "-"}
	clockOnly = []string{"15:04:05", "15:04", "3:04:05 PM", "3:04 PM", "3:04:05PM", "3:04PM", "15.04.05", "150405"}
	zoneForms = []struct {
		layout string
		zoned  bool
	}{{"", false}, {"Z07:00", true}, {"Z0700", true}, {" -0700", true}, {" -07:00", true}, {" UTC", true}, {" GMT", true}, {"Z07", true}}
	// whole are layouts that are not put together so.
	wholeForms = []string{"Mon Jan 2 15:04:05 2006", "Mon Jan 2 15:04:05 UTC 2006", "Jan 2 15:04:05 2006", time.RFC850}
)

// clockForms are all ways to write a moment in words and numbers, the usual ones first.
var clockForms = func() []clockForm {
	out := []clockForm{
		{layout: "2006-01-02T15:04:05Z07:00", zoned: true},
		{layout: plainLayout},
	}
	for _, w := range wholeForms {
		out = append(out, clockForm{layout: w, zoned: strings.Contains(w, "UTC")})
	}
	for _, d := range dateForms {
		for _, gap := range gapForms {
			for _, c := range clockOnly {
				for _, z := range zoneForms {
					out = append(out, clockForm{layout: d.layout + gap + c + z.layout, zoned: z.zoned, order: d.order, date: d.layout})
				}
			}
		}
	}
	return out
}()

// numberForms are moments as numbers, by what 1 is in seconds.
var numberForms = []clockForm{{scale: 1}, {scale: 1e-3}, {scale: 1e-6}, {scale: 1e-9}}

// The range of moments that a record may hold: what is outside is an error of the record.
const (
	firstYear = 2000
	lastYear  = 2100
)

// A moment is nanoseconds since 1970, UTC.
type moment = int64

// read reads a moment; times that say no zone are in loc.
func (f *clockForm) read(s string, loc *time.Location) (moment, bool) {
	if f.layout == "" {
		return f.number(s)
	}
	if f.zoned {
		loc = time.UTC
	}
	if len(s) == len(plainLayout) && f.layout == plainLayout {
		if t, ok := plainly(s, loc); ok {
			return t.UnixNano(), true
		}
	}
	t, err := time.ParseInLocation(f.layout, s, loc)
	if err != nil {
		return 0, false
	}
	return t.UnixNano(), t.Year() >= 1970 && t.Year() < 2200
}

// plainLayout is how most logs write times, which is worth a quicker way.
const plainLayout = "2006-01-02 15:04:05"

// plainly reads a time of the plain layout.
func plainly(s string, loc *time.Location) (t time.Time, ok bool) {
	var b [len(plainLayout) + 1]byte
	copy(b[:], s)
	b[10], b[len(s)] = 'T', 'Z'
	if s[10] != ' ' || t.UnmarshalText(b[:]) != nil {
		return t, false
	}
	if loc != time.UTC {
		year, month, day := t.Date()
		t = time.Date(year, month, day, t.Hour(), t.Minute(), t.Second(), 0, loc)
	}
	return t, t.Year() >= 1970 && t.Year() < 2200
}

// number reads a number; whole ones exactly.
func (f *clockForm) number(s string) (moment, bool) {
	if len(s) < 9 || len(s) > 24 || s[0] == '-' {
		return 0, false
	}
	if n, err := strconv.ParseInt(s, 10, 64); err == nil {
		per := int64(math.Round(f.scale * 1e9))
		if n > math.MaxInt64/per {
			return 0, false
		}
		return n * per, true
	}
	whole, part, ok := strings.Cut(s, ".")
	if !ok || strings.ContainsAny(part, "eE") {
		x, err := strconv.ParseFloat(s, 64)
		ns := float64(x*f.scale) * 1e9
		if err != nil || !(ns >= 0 && ns < math.MaxInt64) {
			return 0, false
		}
		return int64(math.Round(ns)), true
	}
	n, err1 := strconv.ParseInt(whole, 10, 64)
	x, err2 := strconv.ParseFloat("0."+part, 64)
	per := int64(math.Round(f.scale * 1e9))
	if err1 != nil || err2 != nil || n > math.MaxInt64/per {
		return 0, false
	}
	return n*per + int64(math.Round(float64(x*float64(per)))), true
}

// sensible reports whether a moment is within the years of build agents.
func sensible(m moment) bool {
	return m >= firstMoment && m < lastMoment
}

var (
	firstMoment = time.Date(firstYear, 1, 1, 0, 0, 0, 0, time.UTC).UnixNano()
	lastMoment  = time.Date(lastYear, 1, 1, 0, 0, 0, 0, time.UTC).UnixNano()
)

// says is how a form is told to people.
func (f *clockForm) says() string {
	switch {
	case f.layout == "2006-01-02T15:04:05Z07:00":
		return "RFC 3339"
	case f.layout == "":
		return map[float64]string{1: "seconds since 1970", 1e-3: "ms since 1970", 1e-6: "µs since 1970", 1e-9: "ns since 1970"}[f.scale]
	}
	s := f.layout
	for _, x := range [][2]string{
		{"January", "Month"},
		{"Jan", "Mon."},
		{"Mon,", "day,"},
		{"2006", "YYYY"},
		{"06", "YY"},
		{"01", "MM"},
		{"02", "DD"},
		{"15", "hh"},
		{"04", "mm"},
		{"05", "ss"},
		{"3:", "h:"},
		{"1", "M"},
		{"2", "D"},
		{"Z07:00", "±zone"},
		{"Z0700", "±zone"},
		{" -0700", " ±zone"},
		{" -07:00", " ±zone"},
		{"Z07", "±zone"},
	} {
		s = strings.Replace(s, x[0], x[1], 1)
	}
	switch f.order {
	case dayFirst:
		s += ", day first"
	case monthFirst:
		s += ", month first"
	}
	return s
}

// fewValues are so many that a form in which none of them can be read is not that of a column.
const fewValues = 10

// begin reports whether some of the values begin with a date of a layout.
func begin(values []string, layout string) bool {
	return slices.ContainsFunc(values, func(v string) bool {
		_, err := time.Parse(layout, v)
		var e *time.ParseError
		return err == nil || errors.As(err, &e) && strings.HasPrefix(e.Message, ": extra text")
	})
}

// formsOf returns the forms in which most of the values can be read, of those that read
// equally many all; and how many that is.
func formsOf(values []string, loc *time.Location) (forms []clockForm, read int) {
	if len(values) == 0 {
		return nil, 0
	}
	look := values
	if len(look) > 200 { // layouts are many: a few values part the most of them
		look = make([]string, 0, 200)
		for i := range 200 {
			look = append(look, values[i*len(values)/200])
		}
	}
	count := func(f *clockForm, list []string) (n int) {
		for i, v := range list {
			if m, ok := f.read(v, loc); ok && sensible(m) {
				n++
			}
			if i == fewValues-1 && n == 0 {
				return 0
			}
		}
		return n
	}
	var some []clockForm
	date, begun := "", true // of a form's date: whether some of the first values begin with it; without, they need no look
	for _, set := range [][]clockForm{numberForms, clockForms} {
		for _, f := range set {
			if f.date != date {
				date, begun = f.date, begin(look[:min(fewValues, len(look))], f.date)
			}
			if !begun {
				continue
			}
			if n := count(&f, look); 2*n > len(look) {
				some = append(some, f)
			}
		}
		if len(some) > 0 {
			break
		}
	}
	for _, f := range some {
		n := count(&f, values)
		if n > read {
			forms, read = forms[:0], n
		}
		if n == read && n > 0 {
			forms = append(forms, f)
		}
	}
	return forms, read
}

// ambiguous reports whether the forms differ in which of day and month comes first.
func ambiguous(forms []clockForm) bool {
	day, month := false, false
	for _, f := range forms {
		day, month = day || f.order == dayFirst, month || f.order == monthFirst
	}
	return day && month
}
