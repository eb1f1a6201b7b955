package learn

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"
)

// Sampled is what was measured, and the distribution that was chosen for it.
type Sampled struct {
	Family string  `json:"family" doc:"fixed, log-normal, gamma, or samples."`
	Values int     `json:"values" doc:"How many were measured."`
	Median float64 `json:"median" doc:"Half are more."`
	P95    float64 `json:"p95" doc:"One in twenty is more."`
	// Low and High bound the median and the 95th percentile of what the values were drawn from,
	// at 99.9 % each, whatever it is.
	MedianLow  float64 `json:"medianLow" doc:"The median is above this, at 99.9 %."`
	MedianHigh float64 `json:"medianHigh" doc:"The median is below this."`
	P95Low     float64 `json:"p95Low" doc:"The 95th percentile is above this, at 99.9 %."`
	P95High    float64 `json:"p95High" doc:"The 95th percentile is below this; the largest value where it cannot be told."`
	Least      float64 `json:"least" doc:"The least."`
	Most       float64 `json:"most" doc:"The most."`
	Distance   float64 `json:"distance" doc:"The largest difference of shares between what was measured and the family, 0 to 1."`
	Why        string  `json:"why" doc:"Why this family."`
	dist       chance.Dist
	spread     [5]float64 // at document.SpreadAt
}

// near is how far a family may be from what was measured, in shares: closer is as good as
// the same, however many were measured.
const near = 0.05

// samplesKept is how many samples stand for a distribution that is of no family.
const samplesKept = 99

// fitted chooses a distribution: fixed where all are as good as the same, else the nearer of
// log-normal and gamma by the largest difference of shares (Kolmogorov's), if that is below
// near or within chance; else the percentiles themselves. Nothing is beyond the largest that
// was measured, then. Values are positive and will be sorted.
func fitted(values []float64) *Sampled {
	slices.Sort(values)
	n := len(values)
	if n == 0 {
		return nil
	}
	at := func(q float64) float64 { return values[min(n-1, int(q*float64(n)))] }
	f := &Sampled{Values: n, Median: at(0.5), P95: at(0.95), Least: values[0], Most: values[n-1]}
	f.MedianLow, f.MedianHigh = between(values, 0.5)
	f.P95Low, f.P95High = between(values, 0.95)
	for i, q := range document.SpreadAt {
		f.spread[i] = at(q)
	}
	if f.Most-f.Least <= 0.02*f.Median {
		f.Family, f.Why, f.dist = "fixed", "all are within 2 % of each other", chance.NewFixed(f.Median)
		return f
	}
	if n < 20 || f.Least <= 0 {
		f.Family, f.Why = "samples", fmt.Sprintf("only %d were measured", n)
		if n >= 20 {
			f.Why = "some took nothing"
		}
		f.dist = chance.NewEmpirical(thinned(values))
		return f
	}
	sum, logs, squares, weighted := 0.0, 0.0, 0.0, 0.0
	for _, x := range values {
		l := portable.Log(x)
		sum, logs, squares, weighted = sum+x, logs+l, squares+float64(l*l), weighted+float64(x*l)
	}
	count := float64(n)
	mu := logs / count
	sigma := math.Sqrt(max(0, squares/count-float64(mu*mu)))
	median := portable.Exp(mu)
	// Gamma by the estimator of Ye and Chen (2017), nearly as good as maximum likelihood.
	shape := float64(count*sum) / (float64(count*weighted) - float64(logs*sum))
	normal := chance.NewLogNormal(median, portable.Exp(mu+float64(portable.NormalQuantile(0.95)*sigma)))
	gamma := chance.NewGamma(sum/count, shape)
	dn, dg := distance(values, normal), distance(values, gamma)
	f.Family, f.Distance, f.dist = "log-normal", dn, normal
	if dg < dn && shape > 0.05 && shape < 1000 {
		f.Family, f.Distance, f.dist = "gamma", dg, gamma
	}
	chanceOf := 0.9 / math.Sqrt(count) // about one in twenty where the family was fitted (Lilliefors)
	if f.Distance <= max(near, chanceOf) {
		f.Why = fmt.Sprintf("shares differ by at most %.1f %%; the other family by %.1f %%", 100*f.Distance, 100*max(dn, dg))
		return f
	}
	f.Why = fmt.Sprintf("no family is near: log-normal differs by %.0f %% of all, gamma by %.0f %%", 100*dn, 100*dg)
	f.Family, f.Distance = "samples", 0
	f.dist = chance.NewEmpirical(thinned(values))
	return f
}

// sure is the normal deviate that bounds what is told at 99.9 %: high enough that all of a
// log's facts are within their bounds in 95 of 100 logs.
const sure = 3.2905267314918945

// between bounds a quantile by values of the sorted sample: by the ranks between which as many
// lie below it as chance has, at 99.9 %. No family is assumed.
func between(values []float64, q float64) (low, high float64) {
	n := float64(len(values))
	reach := float64(sure * math.Sqrt(float64(n*q)*(1-q)))
	from, to := int(float64(n*q)-reach-1), int(math.Ceil(float64(n*q)+reach))
	return values[max(0, from)], values[min(len(values)-1, to)]
}

// distance is Kolmogorov's between sorted values and a distribution: by how much the share
// below a value differs at most. It is reckoned at a thousand quantiles.
func distance(values []float64, d chance.Dist) float64 {
	const steps = 1000
	most := 0.0
	for i := 1; i < steps; i++ {
		u := float64(i) / steps
		q := d.Quantile(u)
		below, _ := slices.BinarySearch(values, q)
		share := float64(below) / float64(len(values))
		upto := share
		for j := below; j < len(values) && values[j] == q; j++ {
			upto = float64(j+1) / float64(len(values))
		}
		switch {
		case u < share:
			most = max(most, share-u)
		case u > upto:
			most = max(most, u-upto)
		}
	}
	return most
}

// thinned keeps percentiles of sorted values, with the least and the most.
func thinned(values []float64) []float64 {
	if len(values) <= samplesKept {
		return slices.Clone(values)
	}
	out := make([]float64, samplesKept)
	for i := range out {
		out[i] = values[i*(len(values)-1)/(samplesKept-1)]
	}
	return out
}

// times writes a fit of seconds as a document does.
func (f *Sampled) times() document.Times { return drawn(f, roundTime) }

// sizes writes a fit of bytes as a document does.
func (f *Sampled) sizes() document.Sizes { return drawn(f, roundSize) }

// drawn writes a fit as a document does, in quantities that round makes of its unit.
func drawn[Q ~int64](f *Sampled, round func(float64) Q) document.Drawn[Q] {
	one := func(x float64) *Q {
		q := round(x)
		return &q
	}
	switch f.Family {
	case "fixed":
		return document.Drawn[Q]{Fixed: one(f.Median)}
	case "log-normal":
		return document.Drawn[Q]{Median: one(f.dist.Quantile(0.5)), P95: one(f.dist.Quantile(0.95))}
	case "gamma":
		shape := rounded(f.dist.B, 3)
		return document.Drawn[Q]{Mean: one(f.dist.Mean()), Shape: &shape}
	}
	var d document.Drawn[Q]
	for _, x := range f.dist.Samples {
		d.Samples = append(d.Samples, round(x))
	}
	return d
}

// roundTime keeps three digits or tenths of a second, whichever is finer.
func roundTime(sec float64) units.Duration {
	switch {
	case sec >= 100:
		return units.Duration(math.Round(sec)) * units.Second
	case sec >= 1:
		return units.Duration(math.Round(sec*10)) * 100 * units.Millisecond
	}
	return units.Duration(math.Round(sec*1000)) * units.Millisecond
}

// rounded keeps so many digits.
func rounded(x float64, digits int) float64 {
	if x == 0 {
		return 0
	}
	places := digits - 1 // behind the point; below 0: before it
	for a := math.Abs(x); a >= 10; a /= 10 {
		places--
	}
	for a := math.Abs(x); a < 1; a *= 10 {
		places++
	}
	scale := 1.0
	for range max(places, -places) {
		scale *= 10
	}
	if places < 0 {
		return float64(math.Round(x/scale) * scale)
	}
	return math.Round(float64(x*scale)) / scale
}

// roundSize keeps whole MiB, or KiB of small ones.
func roundSize(n float64) units.Bytes {
	if n >= 64<<20 {
		return units.Bytes(math.Round(n/(1<<20))) << 20
	}
	return units.Bytes(math.Round(n/(1<<10))) << 10
}
