package learn

import (
	"fmt"
	"strings"
)

// A sizeReader reads the sizes of a column.
type sizeReader struct {
	decimal decimal
	unit    float64 // bytes of 1
	name    string
}

// read reads a size in bytes.
func (z *sizeReader) read(s string) (float64, bool) {
	if x, ok := z.decimal.number(s); ok {
		return float64(x * z.unit), x >= 0
	}
	return sizeOf(s)
}

// leastPeak is less memory than the peak of any job that builds something can be, and
// mostPeak more.
const (
	leastPeak = 256 << 10
	mostPeak  = 64 << 40
)

// sizes decides in which unit sizes of a role are: by what was told, by the column's name,
// or by which is likely for a job.
func (r *reading) sizes(is role) error {
	if !r.has(is) {
		return nil
	}
	c := r.columns[r.at[is]]
	if c.numbers+c.sizes < enough {
		return fmt.Errorf("column %q is to be %s, but its values are not sizes: %s", c.name, is, samples(c))
	}
	if c.unsure {
		return unsureDecimal(c)
	}
	z := sizeReader{unit: 1, name: "bytes", decimal: c.decimal}
	guess := Guess{What: "unit of " + is.String(), Flag: "--unit " + is.String() + "=UNIT"}
	told, toldUnit := r.o.Units[is.String()]
	switch {
	case toldUnit:
		unit, ok := bytesOf[strings.ToLower(told)]
		if !ok {
			return fmt.Errorf("%q is not a unit of size; give B, KB, KiB, MB, MiB, GB or GiB", told)
		}
		z.unit, z.name, guess.Why = unit, told, "told"
	case c.sizes >= 0.5:
		guess.Why = "its values"
		z.name = "as written"
	case bytesOf[c.unit] != 0:
		z.unit, z.name, guess.Why = bytesOf[c.unit], unitName(c.unit), "the name of the column"
	default:
		z.unit, z.name = likelySize(c.median)
		guess.Why = fmt.Sprintf("half of them are above %.4g", c.median)
	}
	guess.Is = z.name
	r.guesses = append(r.guesses, guess)
	r.size[is] = z
	middle := float64(c.median * z.unit)
	if c.sizes >= 0.5 || is != roleMemory || c.median <= 0 || middle >= leastPeak && middle <= mostPeak {
		return nil
	}
	unit, name := likelySize(c.median)
	do := "leave it out with --column memory=-"
	if unit != z.unit {
		do = fmt.Sprintf("say --unit memory=%s if that is what it is in, or %s", name, do)
	}
	bound := fmt.Sprintf("less than %.3g KiB of memory, which no process does", middle/1024)
	if middle > mostPeak {
		bound = fmt.Sprintf("more than %.3g TiB of memory, which no node has", middle/(1<<40))
	}
	return Contradiction{fmt.Sprintf("column %q, in %s: half of the jobs would need %s", c.name, z.name, bound), do}
}

// unitName writes a unit of sizes as it is usually written.
func unitName(unit string) string {
	for _, name := range []string{"bytes", "KB", "KiB", "MB", "MiB", "GB", "GiB", "TB", "TiB"} {
		if bytesOf[strings.ToLower(name)] == bytesOf[unit] {
			return name
		}
	}
	return unit
}

// likelySize is the unit in which a median is likely for a job: of those in which it lies
// between 16 MiB and 64 GiB, the smallest that people write peaks in.
func likelySize(median float64) (unit float64, name string) {
	switch {
	case median >= 16<<20:
		return 1, "bytes"
	case median >= 64<<10:
		return 1 << 10, "KiB"
	case median >= 16:
		return 1 << 20, "MiB"
	}
	return 1 << 30, "GiB"
}
