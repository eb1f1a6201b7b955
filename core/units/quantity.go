package units

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// MilliCPU is an amount of CPU in thousandths of a core. Negative is invalid.
type MilliCPU int64

// Bytes is an amount of memory, disk or data. Negative is invalid.
type Bytes int64

// Rate is a speed in bytes a second. Negative is invalid.
type Rate int64

// suffixes are the multipliers that Kubernetes quantities carry.
var suffixes = []struct {
	name string
	by   float64
}{
	{"Ki", 1 << 10},
	{"Mi", 1 << 20},
	{"Gi", 1 << 30},
	{"Ti", 1 << 40},
	{"Pi", 1 << 50},
	{"m", 1e-3},
	{"k", 1e3},
	{"M", 1e6},
	{"G", 1e9},
	{"T", 1e12},
	{"P", 1e15},
}

// quantity reads a number with an optional Kubernetes suffix.
func quantity(s string) (float64, bool) {
	if s == "" {
		return 0, false
	}
	by := 1.0
	if last := s[len(s)-1]; last < '0' || last > '9' {
		for _, x := range suffixes {
			if head, ok := strings.CutSuffix(s, x.name); ok {
				s, by = head, x.by
				break
			}
		}
	}
	if s == "" || strings.ContainsAny(s, "xX_pPiInN") {
		return 0, false
	}
	n, err := strconv.ParseFloat(s, 64)
	return n * by, err == nil
}

// ParseMilliCPU reads "500m", "2" or "1.5", rounded up to a thousandth of a
// core as Kubernetes does; between 0 and a million cores.
func ParseMilliCPU(s string) (MilliCPU, error) {
	n, ok := quantity(s)
	if !ok || !(n >= 0 && n <= 1e6) {
		return 0, fmt.Errorf("%q is not an amount of CPU; write it like 500m, 2 or 1.5", s)
	}
	return MilliCPU(math.Ceil(math.Round(n*1e6) / 1e3)), nil
}

// Cores returns c in cores.
func (c MilliCPU) Cores() float64 { return float64(c) / 1000 }

// String writes c as Kubernetes does: "1500m" or "2".
func (c MilliCPU) String() string {
	if c%1000 == 0 {
		return strconv.FormatInt(int64(c/1000), 10)
	}
	return strconv.FormatInt(int64(c), 10) + "m"
}

// MarshalText writes c as String does.
func (c MilliCPU) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads what ParseMilliCPU reads.
func (c *MilliCPU) UnmarshalText(b []byte) (err error) {
	*c, err = ParseMilliCPU(string(b))
	return err
}

// ParseBytes reads "512Mi", "3Gi", "2.3GB" or a plain number of bytes, rounded
// up to a whole byte; between 0 and 8 EiB.
func ParseBytes(s string) (Bytes, error) {
	trimmed := s
	if t, ok := strings.CutSuffix(s, "B"); ok && t != "" {
		trimmed = t
		if t, ok := strings.CutSuffix(t, "K"); ok {
			trimmed = t + "k"
		}
	}
	n, ok := quantity(trimmed)
	if !ok || !(n >= 0 && n < 1<<63) {
		return 0, fmt.Errorf("%q is not an amount of bytes; write it like 512Mi, 3Gi or 2.3GB", s)
	}
	return Bytes(math.Ceil(n)), nil
}

// String writes b exactly: in the largest binary unit that divides it, else in
// the largest decimal one.
func (b Bytes) String() string {
	for i := 4; i >= 0; i-- {
		if by := int64(suffixes[i].by); b != 0 && int64(b)%by == 0 {
			return strconv.FormatInt(int64(b)/by, 10) + suffixes[i].name
		}
	}
	for i := len(suffixes) - 1; i > 5; i-- {
		if by := int64(suffixes[i].by); b != 0 && int64(b)%by == 0 {
			return strconv.FormatInt(int64(b)/by, 10) + suffixes[i].name
		}
	}
	return strconv.FormatInt(int64(b), 10)
}

// Short writes b for reading, in binary units: "5.8 GiB".
func (b Bytes) Short() string {
	n, i := float64(b), -1
	for math.Abs(n) >= 1024 && i < 4 {
		n, i = n/1024, i+1
	}
	if i < 0 {
		return fmt.Sprintf("%d B", int64(b))
	}
	return trimZero(fmt.Sprintf("%.1f", n)) + " " + suffixes[i].name + "B"
}

// MarshalText writes b as String does.
func (b Bytes) MarshalText() ([]byte, error) { return []byte(b.String()), nil }

// UnmarshalText reads what ParseBytes reads.
func (b *Bytes) UnmarshalText(t []byte) (err error) {
	*b, err = ParseBytes(string(t))
	return err
}

// ParseRate reads "120MB/s" or "1Gi/s".
func ParseRate(s string) (Rate, error) {
	head, ok := strings.CutSuffix(s, "/s")
	b, err := ParseBytes(head)
	if !ok || err != nil {
		return 0, fmt.Errorf("%q is not a rate; write it like 120MB/s", s)
	}
	return Rate(b), nil
}

// Time returns how long n bytes take at rate r > 0, rounded up to a nanosecond.
func (r Rate) Time(n Bytes) Duration {
	return Duration(math.Ceil(float64(n) / float64(r) * float64(Second)))
}

// String writes r as it is read.
func (r Rate) String() string { return Bytes(r).String() + "/s" }

// MarshalText writes r as String does.
func (r Rate) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads what ParseRate reads.
func (r *Rate) UnmarshalText(b []byte) (err error) {
	*r, err = ParseRate(string(b))
	return err
}

// Decimal writes an amount of bytes to three digits in decimal units, as links and
// stores are spoken of: "1.1 GB".
func Decimal(bytes float64) string {
	for _, u := range []struct {
		name string
		by   float64
	}{{"TB", 1e12}, {"GB", 1e9}, {"MB", 1e6}, {"kB", 1e3}} {
		if n := bytes / u.by; n >= 0.9995 { // what would be written as 1000 is 1 of the next
			return fmt.Sprintf("%.*g %s", max(3, 1+int(math.Log10(n+0.5))), n, u.name)
		}
	}
	return fmt.Sprintf("%.0f B", bytes)
}
