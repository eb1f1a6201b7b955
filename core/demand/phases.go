package demand

import (
	"fmt"
	"strings"

	"tachyphor/core/units"
)

// DelayPhases are the phases of a start delay, in order, as a job log's phases name them.
var DelayPhases = [...]string{"held", "placing", "node", "image", "setup", "join"}

// PhaseTimes are how long a job waited for what, by the places of DelayPhases, s; below 0 where it is
// not known.
type PhaseTimes [len(DelayPhases)]float32

// ParsePhases reads how long a job waited for what: entries such as node=86s, parted by blanks, commas
// or semicolons; a number alone is of seconds. What is not named is not known.
func ParsePhases(s string) (*PhaseTimes, error) {
	out := new(PhaseTimes)
	for i := range out {
		out[i] = -1
	}
	for entry := range strings.FieldsFuncSeq(s, func(r rune) bool { return r == ' ' || r == ',' || r == ';' }) {
		name, value, ok := strings.Cut(entry, "=")
		place := -1
		for i, phase := range DelayPhases {
			if phase == name {
				place = i
			}
		}
		length, good := readLength(value)
		if !ok || place < 0 || !good || length < 0 {
			return nil, fmt.Errorf("expected phases such as node=86s image=12s, of %s", strings.Join(DelayPhases[:], ", "))
		}
		out[place] = float32(length.Seconds())
	}
	return out, nil
}

// WritePhases writes what ParsePhases reads, in milliseconds.
func WritePhases(of func(place int) units.Duration) string {
	var b strings.Builder
	for i, phase := range DelayPhases {
		if i > 0 {
			b.WriteByte(' ')
		}
		fmt.Fprintf(&b, "%s=%.3f", phase, of(i).Seconds())
	}
	return b.String()
}
