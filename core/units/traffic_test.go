package units

import (
	"math/big"
	"testing"
)

func TestTrafficPrices(t *testing.T) {
	type price interface {
		UnmarshalText([]byte) error
		String() string
	}
	for text, p := range map[string]price{"0.05/GB": new(PerGB), "0.02/GB-month": new(PerGBMonth), "0.005/1000": new(PerRequest)} {
		if err := p.UnmarshalText([]byte(text)); err != nil || p.String() != text {
			t.Errorf("%s reads as %s, %v", text, p, err)
		}
		for _, bad := range []string{"", "0.05", "-1/GB", "NaN/GB-month", "1e9/1000", "x/GB"} {
			if err := p.UnmarshalText([]byte(bad)); err == nil {
				t.Errorf("%q is taken", bad)
			}
		}
	}
	if got := PerGB(Unit / 20).For(SumOf[Bytes](1_500_000_000)); got != SumOf[Money](75_000_000) { // 1.5 GB at 0.05
		t.Errorf("1.5 GB cost %v", got)
	}
	if got := PerRequest(Unit / 2).For(3); got != SumOf[Money](1_500_000) { // three at 0.5 a thousand
		t.Errorf("three requests cost %v", got)
	}
}

// What is kept over time adds up exactly, beyond 64 bits.
func TestKept(t *testing.T) {
	var k Kept
	want := new(big.Int)
	for i := range int64(50) {
		n, d := Bytes(9e12+i), 300*Day+Duration(i)
		k.Add(n, d)
		want.Add(want, new(big.Int).Mul(big.NewInt(int64(n)), big.NewInt(int64(d))))
	}
	if k.sum.String() != want.String() {
		t.Errorf("%v, want %v", k.sum, want)
	}
	var one Kept
	one.Add(GB, Month)
	if got := PerGBMonth(Unit / 50).For(one); got != SumOf[Money](20_000_000) {
		t.Errorf("a GB-month at 0.02 costs %v", got)
	}
	if got := one.Mean(Month); got != 1e9 {
		t.Errorf("%v bytes on average", got)
	}
}
