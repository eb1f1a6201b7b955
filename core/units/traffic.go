package units

import (
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
)

// GB is the gigabyte that traffic and storage are billed by: 10⁹ bytes.
const GB Bytes = 1e9

// PerGB is money for a gigabyte that flows.
type PerGB Money

// PerGBMonth is money for a gigabyte kept for a month of 730 h.
type PerGBMonth Money

// PerRequest is money for a thousand requests.
type PerRequest Money

// parseMoney reads a number before a suffix, between 0 and ten thousand.
func parseMoney(s, suffix, example string) (Money, error) {
	head, ok := strings.CutSuffix(s, suffix)
	n, err := strconv.ParseFloat(head, 64)
	if !ok || err != nil || !(n >= 0 && n <= 1e4) {
		return 0, fmt.Errorf("%q is not a price; write it like %s", s, example)
	}
	return Money(math.Round(n * float64(Unit))), nil
}

func writeMoney(m Money, suffix string) string {
	return strconv.FormatFloat(float64(m)/float64(Unit), 'f', -1, 64) + suffix
}

// For returns what n bytes cost, rounded down to the smallest unit of money.
func (p PerGB) For(n Sum[Bytes]) Sum[Money] { return share(Money(p), n.big(), int64(GB)) }

// String writes p as it is read: "0.05/GB".
func (p PerGB) String() string { return writeMoney(Money(p), "/GB") }

// MarshalText writes p as String does.
func (p PerGB) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads "0.05/GB".
func (p *PerGB) UnmarshalText(b []byte) error {
	m, err := parseMoney(string(b), "/GB", "0.05/GB")
	*p = PerGB(m)
	return err
}

// For returns what an amount of bytes kept over time costs, rounded down.
func (p PerGBMonth) For(k Kept) Sum[Money] {
	return share(Money(p), k.sum.big(), int64(GB), int64(Month))
}

// String writes p as it is read: "0.02/GB-month".
func (p PerGBMonth) String() string { return writeMoney(Money(p), "/GB-month") }

// MarshalText writes p as String does.
func (p PerGBMonth) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads "0.02/GB-month".
func (p *PerGBMonth) UnmarshalText(b []byte) error {
	m, err := parseMoney(string(b), "/GB-month", "0.02/GB-month")
	*p = PerGBMonth(m)
	return err
}

// For returns what n requests cost, rounded down.
func (p PerRequest) For(n int64) Sum[Money] { return share(Money(p), big.NewInt(n), 1000) }

// String writes p as it is read: "0.005/1000".
func (p PerRequest) String() string { return writeMoney(Money(p), "/1000") }

// MarshalText writes p as String does.
func (p PerRequest) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads "0.005/1000".
func (p *PerRequest) UnmarshalText(b []byte) error {
	m, err := parseMoney(string(b), "/1000", "0.005/1000")
	*p = PerRequest(m)
	return err
}

// Kept is an amount of bytes over time, in byte · ns, exact. The zero Kept is
// nothing.
type Kept struct{ sum Sum[Bytes] }

// Add keeps n ≥ 0 bytes for d ≥ 0.
func (k *Kept) Add(n Bytes, d Duration) { k.sum.AddTimes(n, int64(d)) }

// Mean returns the bytes kept on average over a time.
func (k Kept) Mean(over Duration) float64 { return k.sum.Float() / float64(over) }
