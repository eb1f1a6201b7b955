package units

import (
	"encoding/json"
	"math"
	"math/big"
	"math/rand/v2"
	"testing"
)

// A Sum against math/big: added, taken away, compared, multiplied, written, read.
func TestSumsAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	draw := func() int64 {
		switch r.IntN(4) {
		case 0:
			return math.MaxInt64 - r.Int64N(3)
		case 1:
			return math.MinInt64 + r.Int64N(3)
		default:
			return int64(r.Uint64()) >> r.IntN(64)
		}
	}
	var sum Sum[Duration]
	want := new(big.Int)
	for i := range 100_000 {
		q, n := draw(), r.Int64N(1<<20)
		switch i % 4 {
		case 0:
			sum.AddTimes(Duration(q), n)
			want.Add(want, new(big.Int).Mul(big.NewInt(q), big.NewInt(n)))
		case 1:
			sum = sum.Minus(SumOf(Duration(q), Duration(q)))
			want.Sub(want, new(big.Int).Mul(big.NewInt(q), big.NewInt(2)))
		case 2:
			sum = sum.Plus(SumOf(Duration(q)))
			want.Add(want, big.NewInt(q))
		default:
			sum.Add(Duration(q))
			want.Add(want, big.NewInt(q))
		}
		if sum.String() != want.String() {
			t.Fatalf("after %d steps %v, want %v", i, sum, want)
		}
		if other := SumOf(Duration(draw()), Duration(draw())); sum.Compare(other) != want.Cmp(other.big()) || sum.Sign() != want.Sign() {
			t.Fatalf("%v and %v compare as %d", sum, other, sum.Compare(other))
		}
		f, _ := new(big.Float).SetInt(want).Float64()
		if got := sum.Float(); math.Abs(got-f) > math.Abs(f)*1e-15 {
			t.Fatalf("%v is %v as a float, want %v", sum, got, f)
		}
		raw, err := json.Marshal(sum)
		if err != nil {
			t.Fatal(err)
		}
		var again, bare Sum[Duration]
		if err := json.Unmarshal(raw, &again); err != nil || again != sum {
			t.Fatalf("%s reads as %v, %v", raw, again, err)
		}
		if err := json.Unmarshal(raw[1:len(raw)-1], &bare); err != nil || bare != sum {
			t.Fatalf("without quotes %s reads as %v, %v", raw, bare, err)
		}
	}
}

func TestSumsRefuseWhatTheyCannotHold(t *testing.T) {
	for _, bad := range []string{
		`"1.5"`, `""`, `"a"`, `"1e3"`, `"170141183460469231731687303715884105728"`,
		`"-170141183460469231731687303715884105729"`, `"99999999999999999999999999999999999999999999"`,
	} {
		var s Sum[Money]
		if err := json.Unmarshal([]byte(bad), &s); err == nil {
			t.Errorf("%s reads as %v", bad, s)
		}
	}
	for _, edge := range []string{"170141183460469231731687303715884105727", "-170141183460469231731687303715884105728"} {
		var s Sum[Money]
		if err := s.UnmarshalText([]byte(edge)); err != nil || s.String() != edge {
			t.Errorf("%s reads as %v, %v", edge, s, err)
		}
	}
}

// The longest that is ever summed: ten million jobs that wait for 400 days each, at the
// highest price of waiting. By hand: 10^7 · 9600 h · 10^4/h = 9.6·10^14.
func TestPricesOfLongSums(t *testing.T) {
	var all Sum[Duration]
	all.AddTimes(400*Day, 10_000_000)
	if got := AmountOf(Price(1e4 * Money(Unit)).ForAll(all)); got != 9.6e14 {
		t.Errorf("waiting is worth %v, want 9.6e14", got)
	}
	// Where one duration does, both ways of pricing agree, half up.
	r := rand.New(rand.NewPCG(3, 4))
	for range 10_000 {
		p, d := Price(r.Int64N(1e13)), Duration(r.Int64N(int64(1230*Day)))
		if one, sum := p.For(d), p.ForAll(SumOf(d)); SumOf(one) != sum {
			t.Fatalf("%v for %v is %d and %v", p, d, one, sum)
		}
	}
}

// What Money cannot hold is a panic, never a wrong number: 2^63 and 2^64 times the
// smallest unit and all between.
func TestPricesDoNotWrap(t *testing.T) {
	for _, d := range []Duration{Hour + 1, Hour + Hour/2, 2*Hour - 1, 2 * Hour, 1000 * Hour} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("the dearest price for %v gives a number", d)
				}
			}()
			if got := Price(math.MaxInt64).For(d); got < 0 {
				t.Errorf("it is negative: %d", got)
			}
		}()
	}
	if got := Price(math.MaxInt64).For(Hour); got != math.MaxInt64 {
		t.Errorf("an hour of the dearest is %d", got)
	}
}
