// Command tachyphor designs, sizes and simulates short-lived build agents on a
// Kubernetes cluster.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"tachyphor/internal/cli"
	"tachyphor/internal/host"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second signal ends it at once
	status := cli.Execute(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr, host.Here{})
	stop()
	os.Exit(status)
}
