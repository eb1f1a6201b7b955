package portable

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/mathext"
)

// The quick way to a quantile ends where the slow one does, for any shape and share.
func TestNearGamma(t *testing.T) {
	draw := rand.New(rand.NewPCG(3, 5))
	apart := 0
	for range 40_000 {
		a := math.Exp(9*draw.Float64() - 3)
		u := draw.Float64()
		switch draw.IntN(6) {
		case 0:
			u = math.Exp(-30 * u)
		case 1:
			u = 1 - math.Exp(-30*u)
		}
		if u <= 0 || u >= 1 {
			continue
		}
		slow := mathext.GammaIncRegInv(a, u)
		if a < 1 && slow < 1e-6 {
			continue // inverted at once
		}
		near := nearGamma(a, u)
		if !(math.Abs(near-slow) <= 1e-9*slow) {
			p, q := gammaTails(a, near)
			pp, qq := gammaTails(a, slow)
			if apart++; apart < 10 {
				t.Errorf("shape %v, %v: %v, slowly %v (tails %v %v, %v %v)", a, u, near, slow, p, q, pp, qq)
			}
		}
	}
}

func BenchmarkGammaQuantile(b *testing.B) {
	draw := rand.New(rand.NewPCG(3, 5))
	for b.Loop() {
		GammaQuantile(1+2*draw.Float64(), draw.Float64())
	}
}
