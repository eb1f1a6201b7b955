package units

import (
	"bytes"
	"cmp"
	"errors"
	"math/big"
	"math/bits"
)

// A Sum is an exact sum of quantities that each fit into 64 bits and together need
// not: the time that ten million jobs wait, the bill of a thousand nodes. It is held
// in 128 bits, from −2¹²⁷ to 2¹²⁷−1 of T's base unit, and wraps beyond: the largest
// sum there is, ten million jobs that wait for 400 days each, is below 2⁷⁹ ns. The
// zero Sum is 0. Sums are comparable.
//
// As text and in JSON a Sum is its decimal digits in quotes, so that no reader whose
// numbers are 64-bit floats loses any; a bare number is read too.
type Sum[T ~int64] struct {
	hi int64
	lo uint64
}

// SumOf returns the sum of the given quantities.
func SumOf[T ~int64](quantities ...T) Sum[T] {
	var s Sum[T]
	for _, q := range quantities {
		s.Add(q)
	}
	return s
}

// Add adds one quantity.
func (s *Sum[T]) Add(q T) {
	var carry uint64
	s.lo, carry = bits.Add64(s.lo, uint64(q), 0)
	s.hi += int64(q)>>63 + int64(carry)
}

// AddTimes adds a quantity n ≥ 0 times.
func (s *Sum[T]) AddTimes(q T, n int64) {
	hi, lo := bits.Mul64(uint64(q), uint64(n))
	if q < 0 { // uint64(q) is 2⁶⁴ too large
		hi -= uint64(n)
	}
	var carry uint64
	s.lo, carry = bits.Add64(s.lo, lo, 0)
	s.hi += int64(hi + carry)
}

// Plus returns s + t.
func (s Sum[T]) Plus(t Sum[T]) Sum[T] {
	lo, carry := bits.Add64(s.lo, t.lo, 0)
	return Sum[T]{s.hi + t.hi + int64(carry), lo}
}

// TotalOf returns the sum of sums.
func TotalOf[T ~int64](sums ...Sum[T]) Sum[T] {
	var s Sum[T]
	for _, x := range sums {
		s = s.Plus(x)
	}
	return s
}

// Minus returns s − t.
func (s Sum[T]) Minus(t Sum[T]) Sum[T] {
	lo, borrow := bits.Sub64(s.lo, t.lo, 0)
	return Sum[T]{s.hi - t.hi - int64(borrow), lo}
}

// Compare returns −1, 0 or 1 as s is less than, equal to or more than t.
func (s Sum[T]) Compare(t Sum[T]) int {
	return cmp.Or(cmp.Compare(s.hi, t.hi), cmp.Compare(s.lo, t.lo))
}

// Sign returns −1, 0 or 1 as s is below, equal to or above 0.
func (s Sum[T]) Sign() int { return s.Compare(Sum[T]{}) }

// Float returns s in T's base unit, exact to 53 bits.
func (s Sum[T]) Float() float64 {
	if s.hi < 0 {
		return -Sum[T]{}.Minus(s).Float()
	}
	return float64(float64(s.hi)*(1<<64)) + float64(s.lo)
}

// Over returns s divided by n, or 0 for n ≤ 0.
func (s Sum[T]) Over(n int) float64 {
	if n <= 0 {
		return 0
	}
	return s.Float() / float64(n)
}

// big returns s as a big.Int.
func (s Sum[T]) big() *big.Int {
	x := big.NewInt(s.hi)
	return x.Add(x.Lsh(x, 64), new(big.Int).SetUint64(s.lo))
}

// sumOfBig returns x as a Sum; ok is false when it does not fit.
func sumOfBig[T ~int64](x *big.Int) (s Sum[T], ok bool) {
	hi := new(big.Int).Rsh(x, 64) // rounds towards −∞, as two's complement does
	if !hi.IsInt64() {
		return s, false
	}
	lo := new(big.Int).Sub(x, new(big.Int).Lsh(hi, 64))
	return Sum[T]{hi.Int64(), lo.Uint64()}, true
}

// String writes the decimal digits of s.
func (s Sum[T]) String() string { return s.big().String() }

// MarshalText writes s as String does.
func (s Sum[T]) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads decimal digits.
func (s *Sum[T]) UnmarshalText(b []byte) error {
	if len(b) <= 40 { // as many as 128 bits have, and a sign
		if x, ok := new(big.Int).SetString(string(b), 10); ok {
			if sum, ok := sumOfBig[T](x); ok {
				*s = sum
				return nil
			}
		}
	}
	return errors.New("a sum is a whole number of at most 128 bits, in decimal digits")
}

// UnmarshalJSON reads decimal digits in quotes, or a whole number without.
func (s *Sum[T]) UnmarshalJSON(b []byte) error {
	return s.UnmarshalText(bytes.Trim(b, `"`))
}
