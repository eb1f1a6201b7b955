// Command went writes the demo world's week as it went, packed, on standard output:
//
//	go run ./demo/went > demo/as-it-went.csv.gz
//
// It is what simulating weekday-lean gives on a cluster whose burst nodes take longer to boot
// than the demo's facts say.
package main

import (
	"fmt"
	"io"
	"os"

	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/internal/standin/jobs"
	"tachyphor/test/worlds"
)

// boot is how long burst nodes take in truth; the demo's cluster says a median of 85 s.
var boot = map[string]any{"median": "125s", "p95": "160s"}

func main() {
	if err := write(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func write(out io.Writer) error {
	text, log, err := worlds.DemoText("weekday-lean")
	if err != nil {
		return err
	}
	in, err := worlds.Read(text, log)
	if err != nil {
		return err
	}
	w, faults, err := in.Changed([]document.Changes{{
		Kind: document.KindCluster, Name: in.Cluster.Name, Edits: []document.Edit{{Op: "replace", Path: "/spec/pools/1/boot", Value: boot}},
	}})
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return err
	}
	trace, err := sim.Run(w, 3809, 0, nil)
	if err != nil {
		return err
	}
	return jobs.Write(out, jobs.Happen(w, trace, w.Start))
}
