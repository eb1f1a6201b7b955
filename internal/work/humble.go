package work

import (
	"runtime"
	"sync"

	"golang.org/x/sys/unix"
)

// spare is how many threads may run beside those that compute, so that requests are
// answered while all cores are at work.
const spare = 4

// niceness is how far work stands behind requests in the eyes of the operating system.
const niceness = 19

// cores is how many cores work may have: what Go found of the machine's and of the control
// group's. With the first call more threads run than that: the operating system, not Go's
// own scheduler, then decides between work and requests, and it lets those that have
// waited go first.
var cores = sync.OnceValue(func() int {
	n := runtime.GOMAXPROCS(0)
	runtime.GOMAXPROCS(n*atOnce + spare)
	return n
})

// stepBack puts the thread of the goroutine that calls it behind others. It belongs to that
// goroutine from then on and ends with it, for its place cannot be given back.
func stepBack() {
	runtime.LockOSThread()
	_ = unix.Setpriority(unix.PRIO_PROCESS, unix.Gettid(), niceness) // where it may not, it is as before
}
