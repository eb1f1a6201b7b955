package kube

import (
	"testing"
	"time"

	"tachyphor/wire"
)

// Phases follow each other whatever order they were seen in: none takes less than no time,
// and they add up to the pod's life.
func TestPhasesTakeNoNegativeTime(t *testing.T) {
	at := func(ms int) time.Time { return time.UnixMilli(1_000_000 + int64(ms)) }
	for name, r := range map[string]rehearsal{
		"the image was there":     {began: at(0), placed: at(100), pulled: at(99), started: at(300), ended: at(900), gone: at(1000)},
		"started before pulled":   {began: at(0), placed: at(100), pulled: at(400), started: at(300), ended: at(900), gone: at(1000)},
		"gone before it ended":    {began: at(0), placed: at(100), pulled: at(200), started: at(300), ended: at(1100), gone: at(1000)},
		"no further than placing": {began: at(0), asked: at(500), gone: at(600)},
		"a node came for it": {
			began: at(0), grown: true, unplaced: at(50), placed: at(40), pulled: at(30), started: at(300),
			ended: at(900), gone: at(1000),
		},
	} {
		r.out = &wire.Rehearsal{}
		r.stretch()
		last := int64(0)
		for _, s := range r.out.Stretches {
			if s.Ns < 0 || s.From != last {
				t.Errorf("%s: %+v", name, r.out.Stretches)
				break
			}
			last = s.From + s.Ns
		}
		if want := int64(max(r.gone.Sub(r.began), r.ended.Sub(r.began))); last != want {
			t.Errorf("%s: they add up to %s of %s", name, time.Duration(last), time.Duration(want))
		}
	}
}
