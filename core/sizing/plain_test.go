package sizing

import (
	"math"
	"math/rand/v2"
	"strconv"
	"testing"
)

// What is read plainly is what strconv reads, to the last bit; what is not is left to it.
func TestPlainNumbers(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	read := 0
	for range 300_000 {
		s := strconv.FormatFloat(math.Exp(40*r.Float64()-10), 'f', r.IntN(12)-1, 64)
		x, ok := plain(s)
		if !ok {
			continue
		}
		read++
		if want, err := strconv.ParseFloat(s, 64); err != nil || x != want {
			t.Fatalf("%s: %v, want %v", s, x, want)
		}
	}
	if read < 100_000 {
		t.Errorf("only %d were read plainly", read)
	}
	for s, want := range map[string]float64{
		"0": 0, "0.": 0, "007": 7, "999999999999999": 999999999999999, "1.5": 1.5,
		"90071992547409.9": 90071992547409.9,
	} {
		if x, ok := plain(s); !ok || x != want {
			t.Errorf("%s: %v %v", s, x, ok)
		}
	}
	for _, s := range []string{
		"", ".", ".5", "-1", "+1", "1e3", "1_000", "1.2.3", " 1", "0x1", "NaN", "1Mi", "9999999999999999",
		"1234567890123456.7", "١",
	} {
		if x, ok := plain(s); ok {
			t.Errorf("%q was read as %v", s, x)
		}
	}
}
