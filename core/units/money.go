package units

import (
	"fmt"
	"math"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
)

// Money is an amount in billionths of the currency's main unit, so that a
// second of a cheap node is still thousands of them. Sums of Money are exact.
type Money int64

// Unit is one euro, dollar or whatever the cluster's currency is.
const Unit Money = 1e9

// Price is money for an hour of something.
type Price Money

// ParsePrice reads "0.19/h"; between 0 and ten thousand an hour.
func ParsePrice(s string) (Price, error) {
	head, ok := strings.CutSuffix(s, "/h")
	n, err := strconv.ParseFloat(head, 64)
	if !ok || err != nil || !(n >= 0 && n <= 1e4) {
		return 0, fmt.Errorf("%q is not a price; write it like 0.19/h", s)
	}
	return Price(math.Round(n * float64(Unit))), nil
}

// For returns what d ≥ 0 of something at price p costs, rounded half up to the
// smallest unit of money. The product is taken in 128 bits, so it cannot wrap;
// a result beyond the range of Money is a defect of the caller and panics: with
// prices as ParsePrice reads them there is none below 38,000 years. ForAll is for
// sums of time.
func (p Price) For(d Duration) Money {
	hi, lo := bits.Mul64(uint64(p), uint64(d))
	lo, carry := bits.Add64(lo, uint64(Hour)/2, 0)
	q, _ := bits.Div64(hi+carry, lo, uint64(Hour)) // panics when the quotient needs more than 64 bits
	if q > math.MaxInt64 {
		panic("units: more money than Money holds")
	}
	return Money(q)
}

// ForAll is For for a sum of time ≥ 0.
func (p Price) ForAll(d Sum[Duration]) Sum[Money] {
	x := new(big.Int).Mul(big.NewInt(int64(p)), d.big())
	return sumOfMoney(x.Div(x.Add(x, big.NewInt(int64(Hour)/2)), big.NewInt(int64(Hour))))
}

// share returns m · n / (the product of of), rounded down.
func share(m Money, n *big.Int, of ...int64) Sum[Money] {
	x := new(big.Int).Mul(big.NewInt(int64(m)), n)
	for _, o := range of {
		x.Div(x, big.NewInt(o))
	}
	return sumOfMoney(x)
}

// sumOfMoney returns x as money; beyond 128 bits is a defect of the caller.
func sumOfMoney(x *big.Int) Sum[Money] {
	s, ok := sumOfBig[Money](x)
	if !ok {
		panic("units: more money than 128 bits hold")
	}
	return s
}

// AmountOf returns a sum of money in the currency's main unit.
func AmountOf(m Sum[Money]) Amount { return Amount(m.Float() / float64(Unit)) }

// String writes p as it is read: "0.19/h".
func (p Price) String() string {
	return strconv.FormatFloat(float64(p)/float64(Unit), 'f', -1, 64) + "/h"
}

// MarshalText writes p as String does.
func (p Price) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads what ParsePrice reads.
func (p *Price) UnmarshalText(b []byte) (err error) {
	*p, err = ParsePrice(string(b))
	return err
}

// Float returns m in the currency's main unit.
func (m Money) Float() float64 { return float64(m) / float64(Unit) }

// Short writes m for reading, with a code such as "EUR": "EUR 1,240" or
// "EUR 0.0231".
func (m Money) Short(currency string) string { return Amount(m.Float()).Short(currency) }

// An Amount is money in the currency's main unit, as figures have it: not exact, and of
// any size.
type Amount float64

// Short writes a as Money does.
func (a Amount) Short(currency string) string {
	n := float64(a)
	var s string
	switch size := math.Abs(n); {
	case size == 0:
		s = "0"
	case size < 0.1:
		s = fmt.Sprintf("%.4f", n)
	case size < 1000:
		s = fmt.Sprintf("%.2f", n)
	case size < 1e15:
		s = thousands(int64(math.Round(n)))
	default:
		s = fmt.Sprintf("%.3g", n)
	}
	return strings.TrimSpace(currency + " " + s)
}

// thousands writes n with commas.
func thousands(n int64) string {
	s := commas(strconv.FormatInt(abs(n), 10))
	if n < 0 {
		s = "-" + s
	}
	return s
}

// commas parts the thousands of digits.
func commas(digits string) string {
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return digits
}

// Count writes a whole number for reading, with commas.
func Count(n int64) string { return thousands(n) }

// Fixed writes a finite number for reading, with commas and that many decimals: 12,345.6.
func Fixed(x float64, decimals int) string {
	s := strconv.FormatFloat(math.Abs(x), 'f', decimals, 64)
	whole, part, fraction := strings.Cut(s, ".")
	if whole = commas(whole); fraction {
		whole += "." + part
	}
	if x < 0 && strings.Trim(s, "0.") != "" {
		whole = "-" + whole
	}
	return whole
}

// Split divides m among weights ≥ 0 in their order so that the parts add up to
// m exactly: part i is the difference of two rounded running sums. With no
// weight at all the last part takes everything. The sum of the weights must be
// below 2^63.
func (m Money) Split(weights []int64) []Money {
	parts := make([]Money, len(weights))
	var total uint64
	for _, w := range weights {
		total += uint64(w)
	}
	if total == 0 {
		if len(parts) > 0 {
			parts[len(parts)-1] = m
		}
		return parts
	}
	var run uint64
	var given Money
	for i, w := range weights {
		run += uint64(w)
		hi, lo := bits.Mul64(uint64(m), run)
		q, _ := bits.Div64(hi, lo, total)
		parts[i], given = Money(q)-given, Money(q)
	}
	return parts
}

// Part returns m · n / of, rounded down, for 0 ≤ n ≤ of and of > 0.
func (m Money) Part(n, of int64) Money {
	hi, lo := bits.Mul64(uint64(m), uint64(n))
	q, _ := bits.Div64(hi, lo, uint64(of))
	return Money(q)
}
