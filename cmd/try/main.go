package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
)

func main() {
	in := sim.Input{}
	files, _ := filepath.Glob("demo/templates/*.yaml")
	files = append(files, "demo/cluster.yaml", "demo/workload.yaml", os.Args[1])
	for _, f := range files {
		b, _ := os.ReadFile(f)
		docs, faults := document.Parse(f, b)
		if len(faults) > 0 {
			fmt.Println(faults)
			os.Exit(1)
		}
		for _, d := range docs {
			switch d.Kind {
			case "PodTemplate":
				in.Templates = append(in.Templates, d)
			case "Cluster":
				in.Cluster = d
			case "Workload":
				in.Workload = d
			case "Scenario":
				in.Scenario = d
			}
		}
	}
	b, _ := os.ReadFile("demo/week-38.csv")
	rec, err := demand.ParseCSV(b)
	if err != nil {
		panic(err)
	}
	in.Recording = rec
	w, faults := sim.Assemble(in)
	if len(faults) > 0 {
		fmt.Println(faults)
		os.Exit(1)
	}
	t0 := time.Now()
	o, tr, err := outcome.Simulate(w, 2, nil)
	if err != nil {
		panic(err)
	}
	fmt.Println(time.Since(t0), tr.Events, tr.Rounds, tr.Scans, len(tr.Nodes), tr.AgentsMade, tr.PeakEvents)
	fmt.Println(o.Headline)
	for _, u := range o.Unmatched {
		fmt.Println(u.Sentence())
	}
	for _, g := range o.Groups {
		fmt.Printf("%-20s %6.0f warm %.2f mean %s p95 ", g.Name, g.Jobs.Mean, g.Warm.Mean, outcome.Time(g.Delay.Mean))
		if g.Delay.P95 != nil {
			fmt.Print(outcome.Time(*g.Delay.P95))
		}
		fmt.Println()
	}
	for _, c := range o.Causes {
		fmt.Printf("%-60s %8.1f h %.2f\n", c.Label, c.Hours.Mean, c.Share)
	}
	for _, p := range o.Cost.Pools {
		fmt.Println(p.Pool, outcome.Money(p.PerMonth, "EUR"), p.Nodes.Mean)
	}
	for _, p := range o.Cost.Uses {
		fmt.Println(p.Use, outcome.Money(p.PerMonth, "EUR"), p.Share)
	}
	for _, s := range o.Slowest[:5] {
		fmt.Println(s)
	}
	x := outcome.Explain(tr, 4000)
	j, _ := json.MarshalIndent(x, "", " ")
	fmt.Println(string(j))
}
