// Command pause holds the namespaces of a pod on a test's node: it waits to be ended.
package main

import (
	"os"
	"os/signal"
	"syscall"
)

func main() {
	signal.Ignore(syscall.SIGCHLD)
	c := make(chan os.Signal, 1)
	signal.Notify(c, syscall.SIGTERM, syscall.SIGINT)
	<-c
}
