package units

import (
	"math/big"
	"testing"
)

func TestParseDuration(t *testing.T) {
	for _, c := range []struct {
		in   string
		want Duration
		text string
	}{
		{"0s", 0, "0s"},
		{"90s", 90 * Second, "1m30s"},
		{"1h30m", 90 * Minute, "1h30m"},
		{"7d", 7 * Day, "7d"},
		{"1d12h", 36 * Hour, "1d12h"},
		{"2w", 14 * Day, "14d"},
		{"1.5h", 90 * Minute, "1h30m"},
		{"250ms", 250 * Millisecond, "0.25s"},
		{"1ns", 1, "1ns"},
	} {
		got, err := ParseDuration(c.in)
		if err != nil || got != c.want || got.String() != c.text {
			t.Errorf("ParseDuration(%q) = %v (%q), %v; want %d (%q)", c.in, int64(got), got, err, c.want, c.text)
		}
	}
	for _, bad := range []string{"", "5", "-3s", "ten", "5y", "d", "99999999d", "NaNd", "1e300d", "3d-4h"} {
		if got, err := ParseDuration(bad); err == nil {
			t.Errorf("ParseDuration(%q) = %v, want an error", bad, got)
		}
	}
}

func TestShortDurations(t *testing.T) {
	for d, want := range map[Duration]string{
		0: "0 s", 420 * Microsecond: "420 µs", 840 * Millisecond: "840 ms", 12400 * Millisecond: "12.4 s",
		200 * Second: "3 min 20 s", 125 * Minute: "2 h 05 min", 100 * Day: "100.0 d", 999600 * Microsecond: "1 s",
		3599900 * Millisecond: "1 h 00 min",
	} {
		if got := d.Short(); got != want {
			t.Errorf("%d ns: Short() = %q, want %q", int64(d), got, want)
		}
	}
}

func TestQuantities(t *testing.T) {
	cpus := map[string]MilliCPU{"500m": 500, "2": 2000, "1.5": 1500, "0": 0, "0.0001": 1, "100.5m": 101}
	for in, want := range cpus {
		if got, err := ParseMilliCPU(in); err != nil || got != want {
			t.Errorf("ParseMilliCPU(%q) = %v, %v; want %d", in, got, err, want)
		}
	}
	sizes := map[string]Bytes{"512Mi": 512 << 20, "3Gi": 3 << 30, "2.3GB": 2300000000, "1500m": 2, "7": 7, "10KB": 10000}
	for in, want := range sizes {
		if got, err := ParseBytes(in); err != nil || got != want {
			t.Errorf("ParseBytes(%q) = %d, %v; want %d", in, got, err, want)
		}
	}
	for _, bad := range []string{"", "-1", "Gi", "0x10", "1_000", "NaN", "inf", "1e30", "4 Gi", "B"} {
		if got, err := ParseBytes(bad); err == nil {
			t.Errorf("ParseBytes(%q) = %d, want an error", bad, got)
		}
		if got, err := ParseMilliCPU(bad); err == nil {
			t.Errorf("ParseMilliCPU(%q) = %d, want an error", bad, got)
		}
	}
	r, err := ParseRate("120MB/s")
	if err != nil || r.Time(2300000000) != Duration(19166666667) {
		t.Errorf("2.3 GB at %v take %v, %v", r, r.Time(2300000000), err)
	}
}

// Every quantity that parses prints as something that parses to the same.
func FuzzRoundTrips(f *testing.F) {
	for _, s := range []string{"1h30m", "500m", "3Gi", "2.3GB", "0.19/h", "120MB/s", "1500000u", "9d"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if d, err := ParseDuration(s); err == nil {
			if again, err := ParseDuration(d.String()); err != nil || again != d {
				t.Errorf("duration %q: %v then %v, %v", s, d, again, err)
			}
		}
		if b, err := ParseBytes(s); err == nil {
			if again, err := ParseBytes(b.String()); err != nil || again != b {
				t.Errorf("bytes %q: %v then %v, %v", s, b, again, err)
			}
		}
		if c, err := ParseMilliCPU(s); err == nil {
			if again, err := ParseMilliCPU(c.String()); err != nil || again != c {
				t.Errorf("cpu %q: %v then %v, %v", s, c, again, err)
			}
		}
		if p, err := ParsePrice(s); err == nil {
			if again, err := ParsePrice(p.String()); err != nil || again != p {
				t.Errorf("price %q: %v then %v, %v", s, p, again, err)
			}
		}
	})
}

// A price times a time is the exact product, rounded half up.
func FuzzPriceFor(f *testing.F) {
	f.Add(int64(190000000), int64(3600e9))
	f.Add(int64(740000000), int64(604800e9))
	f.Fuzz(func(t *testing.T, p, d int64) {
		p, d = abs(p%1e14), abs(d%int64(maxDuration))
		want := new(big.Int).Mul(big.NewInt(p), big.NewInt(d))
		want.Add(want, big.NewInt(int64(Hour)/2)).Quo(want, big.NewInt(int64(Hour)))
		if want.IsInt64() && int64(Price(p).For(Duration(d))) != want.Int64() {
			t.Errorf("%v for %v = %d, want %v", Price(p), Duration(d), Price(p).For(Duration(d)), want)
		}
	})
}

func FuzzSplitAddsUp(f *testing.F) {
	f.Add(int64(1000000007), int64(3), int64(0), int64(5))
	f.Add(int64(7), int64(0), int64(0), int64(0))
	f.Fuzz(func(t *testing.T, m, a, b, c int64) {
		w := []int64{abs(a >> 2), abs(b >> 2), abs(c >> 2)}
		var sum Money
		for i, part := range Money(abs(m >> 1)).Split(w) {
			if part < 0 || w[i] == 0 && part != 0 && i < 2 {
				t.Errorf("part %d of %v is %d", i, w, part)
			}
			sum += part
		}
		if sum != Money(abs(m>>1)) {
			t.Errorf("parts add up to %d, not %d", sum, m>>1)
		}
	})
}

func TestMoneyShort(t *testing.T) {
	for m, want := range map[Money]string{
		0: "EUR 0", 23100000: "EUR 0.0231", 12340000000: "EUR 12.34", 1240 * Unit: "EUR 1,240",
		-1234567 * Unit: "EUR -1,234,567",
	} {
		if got := m.Short("EUR"); got != want {
			t.Errorf("%d: %q, want %q", int64(m), got, want)
		}
	}
}

// Amounts are written to three digits, and never as thousands of a unit that has a
// larger one.
func TestFixed(t *testing.T) {
	for x, want := range map[float64]string{
		0: "0.0", -0.04: "0.0", -0.06: "-0.1", 999.94: "999.9", 999.96: "1,000.0", -12345.67: "-12,345.7", 1e9 + 0.25: "1,000,000,000.2",
	} {
		if got := Fixed(x, 1); got != want {
			t.Errorf("%v: %q, want %q", x, got, want)
		}
	}
	if a, b := Fixed(-1234.5678, 0), Fixed(1234.565, 3); a != "-1,235" || b != "1,234.565" {
		t.Errorf("%q, %q", a, b)
	}
}

func TestDecimal(t *testing.T) {
	for bytes, want := range map[float64]string{
		0: "0 B", 999: "999 B", 999.6: "1 kB", 1000: "1 kB", 12.34e6: "12.3 MB", 999.4e6: "999 MB", 999.6e6: "1 GB", 1.5e12: "1.5 TB",
		999.6e12: "999.6 TB", 1234e12: "1234 TB",
	} {
		if got := Decimal(bytes); got != want {
			t.Errorf("%v is %q, want %q", bytes, got, want)
		}
	}
}
