package fleet

import (
	"math/rand/v2"
	"testing"

	"tachyphor/core/template"
	"tachyphor/core/units"
)

// How many pods a node holds is what one gets by putting one in after the other,
// and what binds is what the next one lacks.
func TestHoldsIsTakingOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 8))
	for range 20_000 {
		room := Room{Request: template.Request{
			CPU: units.MilliCPU(r.IntN(9000)), Memory: units.Bytes(r.IntN(5000)),
			Disk: units.Bytes(r.IntN(3000)),
		}, Pods: r.IntN(40)}
		q := &Need{Request: template.Request{
			CPU: units.MilliCPU(r.IntN(2000)), Memory: units.Bytes(r.IntN(800)),
			Disk: units.Bytes(r.IntN(2) * r.IntN(500)),
		}}
		room.Extended[0], q.Extended[0] = int64(r.IntN(8)), int64(r.IntN(2)*r.IntN(3))
		n, binds, left := room.Holds(q)
		rest, count := room, 0
		short := rest.Lacks(q)
		for !short.Short() {
			rest.Take(q, 1)
			count++
			short = rest.Lacks(q)
		}
		bound := map[string]bool{"cpu": short.CPU, "memory": short.Memory, "disk": short.Disk, "pods": short.Pods, "extended0": short.Extended[0]}
		if n != count || !bound[binds] || left < 0 || left > 1 {
			t.Fatalf("%+v in %+v: %d, %s, %v; one by one %d, short of %+v", q, room, n, binds, left, count, short)
		}
	}
}
