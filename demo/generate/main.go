// Command generate draws the demo world's recorded week from profile.yaml with
// a fixed seed and writes it as CSV on standard output:
//
//	go run ./demo/generate demo/generate/profile.yaml > demo/week-38.csv
package main

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"fmt"
	"os"
	"slices"
	"strconv"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

const seed = 2026_38

// boards are what each change of the firmware is built for.
var boards = []string{"mk1", "mk2", "mk2-arctic", "mk3", "mk3-deep", "relay", "shore", "probe"}

type line struct {
	at                              units.Duration
	id, class, project, branch      string
	work, cores, memory, submission string
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	data, err := os.ReadFile(os.Args[1])
	if err != nil {
		return err
	}
	docs, faults := document.Parse(os.Args[1], data)
	if err := faults.Err(); err != nil {
		return err
	}
	spec := &docs[0].Value.(*document.Workload).Spec
	root := chance.Root(seed, 0)
	jobs, err := demand.Make(spec, 0, units.Week, root)
	if err != nil {
		return err
	}
	lines := draw(spec, jobs, root)
	out := csv.NewWriter(bufio.NewWriter(os.Stdout))
	_ = out.Write([]string{"id", "submitted", "class", "project", "branch", "work", "cores", "memory"})
	for _, l := range lines {
		_ = out.Write([]string{l.id, l.submission, l.class, l.project, l.branch, l.work, l.cores, l.memory})
	}
	out.Flush()
	return out.Error()
}

// peak is a job's memory as a share of its class's: one in twenty needs more.
func peak(u float64) float64 {
	if u > 0.95 {
		return 1.12 + 2*(u-0.95)
	}
	return 0.72 + 0.25*u
}

// draw gives each job its figures; a change of the firmware becomes one job for
// each board, within a few seconds.
func draw(spec *document.WorkloadSpec, jobs *demand.Jobs, root chance.Key) []line {
	var lines []line
	for i, j := range jobs.List {
		class := spec.Classes[j.Class]
		branch := "change"
		if root.For(chance.Start, uint64(i), 0).Uniform() < 0.3 {
			branch = "trunk"
		}
		names := []string{""}
		if class.Name == "hull-firmware" {
			names = boards
		}
		for b, board := range names {
			key := root.For(chance.Work, uint64(i), uint64(b))
			at := j.Submitted + units.Duration(b)*700*units.Millisecond
			l := line{at: at, id: jobs.ID(i), class: class.Name, project: class.Project, branch: branch}
			if board != "" {
				l.id += "-" + board
			}
			work := class.Work.Dist().Draw(key)
			l.work = strconv.FormatFloat(work/1e9, 'f', 1, 64)
			spread := 0.8 + 0.4*root.For(chance.Boot, uint64(i), uint64(b)).Uniform()
			l.cores = strconv.FormatFloat(class.Cores*spread, 'f', 2, 64)
			l.memory = strconv.Itoa(int(float64(*class.Memory.Fixed)*peak(root.For(chance.Memory, uint64(i), uint64(b)).Uniform()))>>20) + "Mi"
			l.submission = spec.Start.Add(time.Duration(at)).UTC().Format("2006-01-02T15:04:05.000Z")
			lines = append(lines, l)
		}
	}
	slices.SortStableFunc(lines, func(a, b line) int { return cmp.Compare(a.at, b.at) })
	return lines
}
