// Command burn is work for the nodes of tests: on some threads, each keeps a core busy until it has had
// so much time of it. It says how long that took.
package main

import (
	"flag"
	"fmt"
	"runtime"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

func main() {
	cores := flag.Int("cores", 1, "threads that work")
	work := flag.Duration("work", 10*time.Second, "time of a core that each works")
	at := flag.Int64("at", 0, "when it begins, milliseconds since 1970; 0: at once")
	flag.Parse()
	runtime.GOMAXPROCS(*cores + 1)
	time.Sleep(time.Until(time.UnixMilli(*at)))
	began := time.Now()
	var all sync.WaitGroup
	for range *cores {
		all.Go(func() {
			runtime.LockOSThread()
			sink := uint64(1)
			for had() < *work {
				for range 100_000 {
					sink = sink*6364136223846793005 + 1442695040888963407
				}
			}
			_ = sink
		})
	}
	all.Wait()
	fmt.Printf("took %d ms\n", time.Since(began).Milliseconds())
}

// had is how much time of a core this thread has had.
func had() time.Duration {
	var t unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &t); err != nil {
		panic(err)
	}
	return time.Duration(t.Nano())
}
