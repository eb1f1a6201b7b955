package cluster

import (
	"fmt"
	"testing"
)

// Who begins to watch while things change misses none of them: after those that are
// there comes the very next.
func TestWatchLosesNothing(t *testing.T) {
	s := newObjects()
	res := apiResource{}
	put := func(i int) {
		s.put(res, object{"metadata": object{"namespace": "slipway", "name": fmt.Sprintf("x-%d", i)}})
	}
	for i := range 500 { // enough for looking at them to take a while
		put(i)
	}
	stopped, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for i := 500; i < 3_000; i++ {
			select {
			case <-stopped:
				return
			default:
				put(i)
			}
		}
	}()
	for range 80 {
		now, then, stop := s.watch(res, "slipway")
		select {
		case x := <-then:
			if got := text(x.Object, "metadata", "name"); got != fmt.Sprintf("x-%d", len(now)) {
				t.Errorf("%d objects are there, the next to come is %s", len(now), got)
			}
		case <-ended:
		}
		stop()
	}
	close(stopped)
	<-ended
}
