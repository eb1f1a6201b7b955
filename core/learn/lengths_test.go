package learn

import (
	"math/rand/v2"
	"testing"
)

// What is passed over without a look could not be read: of texts in the letters of durations, moments and names,
// few of which are any.
func TestWordedPassesOverNothing(t *testing.T) {
	pieces := []string{"1", "20", "3.5", ".", "h", "m", "min", "minutes", "s", "ms", "µs", "d", "w", " ", ",", "and ", "-", "+", ":", "/", "_", "0", "x", "T", "é"}
	r := rand.New(rand.NewPCG(5, 6))
	read, over := 0, 0
	for range 200_000 {
		s := ""
		for range 1 + r.IntN(6) {
			s += pieces[r.IntN(len(pieces))]
		}
		_, ok := readWords(s)
		if ok {
			read++
		}
		if !worded(s) {
			if over++; ok {
				t.Errorf("%q is a duration", s)
			}
		}
	}
	if read < 2000 || over < 50_000 {
		t.Errorf("%d were durations, %d passed over", read, over)
	}
	if _, ok := readWords(""); ok || worded("") {
		t.Error("nothing is a duration")
	}
}
