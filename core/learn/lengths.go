package learn

import (
	"math"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/units"

	"github.com/sosodev/duration"
)

// secondsOf is how many seconds there are in a unit of durations.
var secondsOf = map[string]float64{
	"ns": 1e-9, "nanos": 1e-9, "nanoseconds": 1e-9, "us": 1e-6, "µs": 1e-6, "micros": 1e-6, "microseconds": 1e-6, "ms": 1e-3, "msec": 1e-3,
	"msecs": 1e-3, "millis": 1e-3, "milliseconds": 1e-3, "millisecond": 1e-3, "s": 1, "sec": 1, "secs": 1, "second": 1, "seconds": 1,
	"m": 60, "min": 60, "mins": 60, "minute": 60, "minutes": 60, "h": 3600, "hr": 3600, "hrs": 3600, "hour": 3600, "hours": 3600,
	"d": 86400, "day": 86400, "days": 86400,
}

// bytesOf is how many bytes there are in a unit of sizes.
var bytesOf = map[string]float64{
	"b": 1, "byte": 1, "bytes": 1, "k": 1e3, "kb": 1e3, "kbytes": 1e3, "ki": 1 << 10, "kib": 1 << 10, "m": 1e6, "mb": 1e6, "mbytes": 1e6,
	"megabytes": 1e6, "mi": 1 << 20, "mib": 1 << 20, "g": 1e9,
	"gb": 1e9, "gigabytes": 1e9, "gi": 1 << 30, "gib": 1 << 30, "tb": 1e12, "ti": 1 << 40,
	"tib": 1 << 40,
}

// A decimal is how numbers are written.
type decimal uint8

const (
	decimalPoint decimal = iota
	decimalComma
	thousands // 1,234.5
)

// number reads a number as it is written.
func (d decimal) number(s string) (float64, bool) {
	if strings.IndexByte(s, ',') >= 0 {
		switch d {
		case decimalPoint:
			return 0, false
		case decimalComma:
			s = strings.Replace(strings.ReplaceAll(s, ".", ""), ",", ".", 1)
		case thousands:
			s = strings.ReplaceAll(s, ",", "")
		}
	}
	x, err := strconv.ParseFloat(s, 64)
	return x, err == nil && !math.IsNaN(x) && !math.IsInf(x, 0)
}

// A lengthForm is how a column writes durations.
type lengthForm uint8

const (
	lengthNumber lengthForm = iota // a plain number of some unit
	lengthClock                    // h:mm:ss, or mm:ss
	lengthHours                    // h:mm
	lengthISO                      // PT8M
	lengthWords                    // 8m12s, 8 min 12 s
)

// says is how a form is told to people.
func (f lengthForm) says() string {
	return [...]string{"numbers", "h:mm:ss", "h:mm", "ISO 8601", "words such as 8m12s"}[f]
}

// mostSeconds is the longest that anything may take.
const mostSeconds = 400 * 86400

// lengthOf tells the form in which a duration is written, numbers apart.
func lengthOf(s string) (lengthForm, bool) {
	for _, f := range []lengthForm{lengthClock, lengthISO, lengthWords} {
		if _, ok := f.read(s); ok {
			return f, true
		}
	}
	return 0, false
}

// read reads a duration in seconds, other than a plain number.
func (f lengthForm) read(s string) (float64, bool) {
	switch f {
	case lengthClock, lengthHours:
		return clockLength(s, f == lengthHours)
	case lengthISO:
		t := strings.TrimPrefix(strings.TrimPrefix(s, "-"), "+")
		if len(t) < 3 || t[0] != 'P' && t[0] != 'p' || strings.ContainsAny(t, "yY") {
			return 0, false
		}
		d, err := duration.Parse(strings.ToUpper(t))
		if err != nil || d.Months != 0 { // of no certain length
			return 0, false
		}
		x := float64(d.Weeks*604800) + float64(d.Days*86400) + float64(d.Hours*3600) + float64(d.Minutes*60) + d.Seconds
		if s[0] == '-' {
			x = -x
		}
		return x, true
	case lengthWords:
		return wordLength(s)
	}
	return 0, false
}

// clockLength reads 1:02:03.5, 2:03, or with days before it: 1 day, 2:03:04 and 1.02:03:04.
func clockLength(s string, hours bool) (float64, bool) {
	days := 0.0
	minus := strings.HasPrefix(s, "-")
	s = strings.TrimPrefix(s, "-")
	if i := strings.Index(s, "day"); i > 0 {
		n, err := strconv.ParseFloat(strings.TrimSpace(s[:i]), 64)
		if err != nil {
			return 0, false
		}
		days, s = n, strings.TrimLeft(strings.TrimPrefix(s[i:], "days"), "day, ")
	}
	parts := strings.Split(s, ":")
	if d, h, ok := strings.Cut(parts[0], "."); ok && len(parts) == 3 {
		n, err := strconv.ParseFloat(d, 64)
		if err != nil {
			return 0, false
		}
		days, parts[0] = n, h
	}
	if len(parts) < 2 || len(parts) > 3 {
		return 0, false
	}
	sum := 0.0
	for i, p := range parts {
		x, err := strconv.ParseFloat(strings.Replace(p, ",", ".", 1), 64)
		if err != nil || x < 0 || p == "" || p[0] == '+' || i > 0 && (x >= 60 || strings.IndexAny(p, ".,") != 2 && len(p) != 2) {
			return 0, false
		}
		sum = float64(sum*60) + x
	}
	if len(parts) == 2 && hours {
		sum *= 60
	}
	if sum += float64(days * 86400); minus {
		sum = -sum
	}
	return sum, true
}

// wordLength reads numbers with units, as in 8m12s, 1h 2min, 3 minutes and 4 seconds.
func wordLength(s string) (float64, bool) {
	if !worded(s) {
		return 0, false
	}
	return readWords(s)
}

// readWords reads what wordLength does, whatever it is given.
func readWords(s string) (float64, bool) {
	if d, err := time.ParseDuration(s); err == nil {
		return d.Seconds(), s[len(s)-1] > '9'
	}
	if d, err := units.ParseDuration(s); err == nil {
		return d.Seconds(), s[len(s)-1] > '9'
	}
	sum, some, minus := 0.0, false, strings.HasPrefix(s, "-")
	rest := strings.ToLower(strings.TrimPrefix(s, "-"))
	for {
		rest = strings.TrimLeft(rest, " ,")
		rest = strings.TrimPrefix(rest, "and ")
		if rest == "" {
			break
		}
		n := strings.IndexFunc(rest, func(r rune) bool { return (r < '0' || r > '9') && r != '.' })
		if n <= 0 {
			return 0, false
		}
		x, err := strconv.ParseFloat(rest[:n], 64)
		if err != nil {
			return 0, false
		}
		rest = strings.TrimLeft(rest[n:], " ")
		n = strings.IndexFunc(rest, func(r rune) bool { return (r < 'a' || r > 'z') && r != 'µ' })
		if n < 0 {
			n = len(rest)
		}
		unit, ok := secondsOf[rest[:n]]
		if !ok {
			return 0, false
		}
		sum, some, rest = sum+float64(x*unit), true, strings.TrimPrefix(rest[n:], ".")
	}
	if minus {
		sum = -sum
	}
	return sum, some
}

// worded reports whether numbers with units could be read of a text: without, it need not be tried,
// which is what most cells of a table come to.
func worded(s string) bool {
	if s == "" || '0' <= s[len(s)-1] && s[len(s)-1] <= '9' {
		return false
	}
	digit := false
	for i := range len(s) {
		switch c := s[i]; {
		case '0' <= c && c <= '9':
			digit = true
		case c == ':', c == '/', i > 0 && (c == '-' || c == '+'):
			return false
		}
	}
	return digit
}

// sizeOf reads a size with its unit, as in 3Gi, 512 MB, 1.5GiB; a plain number is none.
func sizeOf(s string) (float64, bool) {
	n := strings.LastIndexFunc(s, func(r rune) bool { return r >= '0' && r <= '9' }) + 1
	if n == 0 || n == len(s) {
		return 0, false
	}
	x, err := strconv.ParseFloat(strings.TrimSpace(s[:n]), 64)
	unit, ok := bytesOf[strings.ToLower(strings.TrimSpace(s[n:]))]
	return float64(x * unit), err == nil && ok && x >= 0
}
