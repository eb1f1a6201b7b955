package learn

import (
	"fmt"
	"strings"
	"time"

	"tachyphor/core/units"
)

// Asked is what people say of a job log, as they write it.
type Asked struct {
	Columns   []string // ROLE=NAME
	Units     []string // ROLE=UNIT
	Results   []string // WORD=done, failed, cut, never or underway
	Trunk     []string
	Delimiter string
	Encoding  string
	Header    string
	Dates     string
	Decimal   string
	Zone      string
	From      string // a day of the zone, or RFC 3339
	Until     string
	ColdAfter string // a duration, or no
	Least     int
	SkipBad   bool
	Name      string
}

// Options reads it.
func (a *Asked) Options() (o JobOptions, err error) {
	o = JobOptions{
		Name: a.Name, Trunk: a.Trunk, Delimiter: a.Delimiter, Encoding: a.Encoding, Header: a.Header, Dates: a.Dates, Decimal: a.Decimal,
		Least: a.Least, SkipBad: a.SkipBad, Results: map[string]Ending{},
	}
	if o.Columns, err = Pairs("column", a.Columns); err != nil {
		return o, err
	}
	if o.Units, err = Pairs("unit", a.Units); err != nil {
		return o, err
	}
	words, err := Pairs("result", a.Results)
	if err != nil {
		return o, err
	}
	for word, means := range words {
		e, ok := EndingOf(means)
		if !ok {
			return o, fmt.Errorf("result %s=%s: a job can be done, failed, cut, never or underway", word, means)
		}
		o.Results[strings.ToLower(word)] = e
	}
	for what, is := range map[string][3]string{
		"dates": {a.Dates, "day-first", "month-first"}, "decimal": {a.Decimal, "point", "comma"}, "header": {a.Header, "yes", "no"},
	} {
		if is[0] != "" && is[0] != is[1] && is[0] != is[2] {
			return o, fmt.Errorf("%s: %q is neither %s nor %s", what, is[0], is[1], is[2])
		}
	}
	if a.Zone != "" {
		if o.Zone, err = units.ParseZone(a.Zone); err != nil {
			return o, fmt.Errorf("zone: %w", err)
		}
	}
	for _, x := range []struct {
		name, value string
		into        *time.Time
	}{{"from", a.From, &o.From}, {"until", a.Until, &o.Until}} {
		if x.value == "" {
			continue
		}
		t, err := time.ParseInLocation(time.DateOnly, x.value, o.Zone.Location())
		if err != nil {
			t, err = time.Parse(time.RFC3339, x.value)
		}
		if err != nil {
			return o, fmt.Errorf("%s: %q is neither a day such as 2026-09-14 nor a time such as 2026-09-14T06:00:00Z", x.name, x.value)
		}
		*x.into = t
	}
	switch a.ColdAfter {
	case "":
	case "no":
		o.ColdAfter = -1
	default:
		d, err := units.ParseDuration(a.ColdAfter)
		if err != nil || d < units.Minute || d > 31*units.Day {
			return o, fmt.Errorf("cold-after: %q is not a pause from 1m to 31d; write it like 6h, or no where only a cache column tells cold runs", a.ColdAfter)
		}
		o.ColdAfter = time.Duration(d)
	}
	if o.Least < 0 {
		return o, fmt.Errorf("least: %d is below 0", o.Least)
	}
	return o, nil
}

// Pairs reads texts of the form NAME=VALUE.
func Pairs(what string, list []string) (map[string]string, error) {
	out := map[string]string{}
	for _, s := range list {
		name, value, ok := strings.Cut(s, "=")
		if !ok || name == "" || value == "" {
			return nil, fmt.Errorf("%s: %q is not of the form NAME=VALUE", what, s)
		}
		if _, twice := out[name]; twice {
			return nil, fmt.Errorf("%s: %s is given twice", what, name)
		}
		out[name] = value
	}
	return out, nil
}
