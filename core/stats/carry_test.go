package stats

import (
	"encoding/json"
	"reflect"
	"testing"
)

// A spread that is written is read the same, whatever its values; what is none is refused.
func TestCarriedSpread(t *testing.T) {
	for _, values := range [][]int64{nil, {0}, {5, 5, 5}, {-3, 1 << 62, 7}, many(5000)} {
		s := SpreadOf(append([]int64(nil), values...), 64)
		b, err := json.Marshal(s)
		if err != nil {
			t.Fatal(err)
		}
		var back Spread
		if err := json.Unmarshal(b, &back); err != nil {
			t.Fatalf("%d values: %v", len(values), err)
		}
		again, err := json.Marshal(back)
		if err != nil || string(again) != string(b) {
			t.Errorf("%d values: %v", len(values), err)
		}
		if one, ok := PoolOf([]Spread{s, s}).Figure(95); ok {
			if other, _ := PoolOf([]Spread{back, back}).Figure(95); !reflect.DeepEqual(one, other) {
				t.Errorf("%d values: %+v, %+v", len(values), one, other)
			}
		}
	}
	for _, text := range []string{`5`, `"!"`, `"AA=="`, `"AP//////"`, `"AAAAAAAAAAAAAAAAAAAAAAAAAAA="`} {
		if err := json.Unmarshal([]byte(text), new(Spread)); err == nil {
			t.Errorf("%s was read", text)
		}
	}
}

func many(n int) []int64 {
	out := make([]int64, n)
	for i := range out {
		out[i] = int64((i*7919)%n) * 1e9
	}
	return out
}
