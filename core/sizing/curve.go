package sizing

import (
	"encoding/binary"
	"fmt"
	"math"
)

// A Level is a time over which a run used CPU evenly, as far as its samples tell.
type Level struct {
	Seconds float32 // > 0
	Cores   float32 // ≥ 0
}

// A Curve is a run's use of CPU from its beginning, one level after the other. What
// was not measured is not in it.
type Curve []Level

// mostLevels bounds a curve; longer ones have neighbours put together.
const mostLevels = 256

// curveOf makes a curve of spans.
func curveOf(spans []span) Curve {
	each := (len(spans) + mostLevels - 1) / mostLevels
	if each == 0 {
		return nil
	}
	out := make(Curve, 0, (len(spans)+each-1)/each)
	for i := 0; i < len(spans); i += each {
		length, cpu := 0.0, 0.0
		for _, s := range spans[i:min(i+each, len(spans))] {
			length, cpu = length+s.length, cpu+s.cpu
		}
		out = append(out, Level{float32(length), float32(cpu / length)})
	}
	return out
}

// Seconds is how long the curve lasts.
func (c Curve) Seconds() float64 {
	sum := 0.0
	for _, l := range c {
		sum += float64(l.Seconds)
	}
	return sum
}

// At returns the cores in use a time after the beginning; NaN after the end.
func (c Curve) At(seconds float64) float64 {
	for _, l := range c {
		if seconds < float64(l.Seconds) {
			return float64(l.Cores)
		}
		seconds -= float64(l.Seconds)
	}
	return math.NaN()
}

// Under returns how many times as long the run takes with never more than the given
// cores, its CPU time being the same: the sum of each level's time times
// max(1, cores ÷ given), over the sum of times. Bursts shorter than the samples'
// interval are not seen, and would stretch it more.
func (c Curve) Under(cores float64) float64 {
	had, takes := 0.0, 0.0
	for _, l := range c {
		t := float64(l.Seconds)
		had, takes = had+t, takes+float64(t*max(1, float64(l.Cores)/cores))
	}
	if had == 0 {
		return 1
	}
	return takes / had
}

// Bytes writes a curve in eight bytes a level.
func (c Curve) Bytes() []byte {
	out := make([]byte, 0, 8*len(c))
	for _, l := range c {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(l.Seconds))
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(l.Cores))
	}
	return out
}

// CurveOf reads what Bytes wrote.
func CurveOf(data []byte) (Curve, error) {
	if len(data)%8 != 0 {
		return nil, fmt.Errorf("a curve of %d bytes", len(data))
	}
	out := make(Curve, len(data)/8)
	for i := range out {
		l := Level{math.Float32frombits(binary.LittleEndian.Uint32(data[8*i:])), math.Float32frombits(binary.LittleEndian.Uint32(data[8*i+4:]))}
		if !(l.Seconds > 0) || !(l.Cores >= 0) || math.IsInf(float64(l.Seconds), 0) || math.IsInf(float64(l.Cores), 0) {
			return nil, fmt.Errorf("level %d of a curve is %v s of %v cores", i, l.Seconds, l.Cores)
		}
		out[i] = l
	}
	return out, nil
}
