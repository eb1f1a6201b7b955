package main

import (
	"bytes"
	"fmt"
	"io/fs"
	"math"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"strconv"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/sizing"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/demo"
)

// What is sized: runs, and samples of each.
const (
	sizedRuns    = 10_000
	sizedSamples = 200
)

// usage writes samples of drawn runs as CSV.
func usage() []byte {
	r := rand.New(rand.NewPCG(1, 2))
	var b bytes.Buffer
	b.WriteString("pod,at,cpu_seconds,memory\n")
	var line []byte
	for i := range sizedRuns {
		cpu, most := 0.0, 4e9*math.Exp(0.25*r.NormFloat64())
		for j := range sizedSamples {
			line = append(strconv.AppendInt(append(line[:0], "compile-wide-"...), int64(i), 10), ',')
			line = append(strconv.AppendInt(line, 1_790_000_000+int64(i)*60+int64(j)*15, 10), ',')
			line = append(strconv.AppendFloat(line, cpu, 'f', 3, 64), ',')
			line = append(strconv.AppendInt(line, int64(most*float64(j+1)/sizedSamples), 10), '\n')
			b.Write(line)
			cpu += 15 * 6 * r.Float64()
		}
	}
	return b.Bytes()
}

// demoDocument reads a document of the demo.
func demoDocument(path string) (*document.Document, error) {
	b, err := fs.ReadFile(demo.World, path)
	if err != nil {
		return nil, err
	}
	docs, faults := document.Parse(path, b)
	if len(faults) > 0 {
		return nil, faults
	}
	return docs[0], nil
}

// measureSizing reads samples, reduces them to runs and advises, on one core; then
// fits twenty templates on fifty types of nodes.
func measureSizing() error {
	tmpl, err := demoDocument("templates/compile-wide.yaml")
	if err != nil {
		return err
	}
	cluster, err := demoDocument("cluster.yaml")
	if err != nil {
		return err
	}
	q := sizing.Question{Template: tmpl, Cluster: cluster, Wish: sizing.Wish{HalfLife: 30 * 24 * units.Hour}}
	file := usage()
	var reading, reducing, advising []float64
	var held uint64
	for range 5 {
		debug.FreeOSMemory()
		began := time.Now()
		log, err := sizing.Read(bytes.NewReader(file))
		if err != nil {
			return err
		}
		reading = append(reading, time.Since(began).Seconds())
		began = time.Now()
		runs, _, _ := log.Runs()
		reducing = append(reducing, time.Since(began).Seconds())
		began = time.Now()
		if _, err := sizing.Advise(q, runs); err != nil {
			return err
		}
		advising = append(advising, time.Since(began).Seconds())
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		held = max(held, m.HeapSys-m.HeapReleased)
		runtime.KeepAlive(log)
	}
	r, d, a := median(reading), median(reducing), median(advising)
	fmt.Printf("size: %d runs of %d samples, %d MB of CSV, one core\n", sizedRuns, sizedSamples, len(file)>>20)
	fmt.Printf("  reading CSV                   %7.3f s\n  reducing to runs              %7.3f s\n  advising                   "+
		"   %7.3f s\n  all                           %7.3f s, at most %d MiB on the heap\n", r, d, a, r+d+a, held>>20)
	return measureFit()
}

// measureFit fits twenty templates on fifty types of nodes, with the best mix of each.
func measureFit() error {
	r := rand.New(rand.NewPCG(2, 2))
	spec := document.ClusterSpec{Currency: "EUR"}
	for i := range 50 {
		name := fmt.Sprintf("n%d", i)
		spec.NodeTypes = append(spec.NodeTypes, document.NodeType{
			Name: name, CPU: units.MilliCPU(4000 + r.IntN(60000)), Memory: units.Bytes(16+r.IntN(240)) << 30, Disk: 200 << 30, Pods: 110,
			Price: units.Price(r.IntN(2_000_000_000)),
		})
		spec.Pools = append(spec.Pools, document.Pool{Name: name, NodeType: name, Max: 9})
	}
	var agents []template.Agent
	for i := range 20 {
		agents = append(agents, template.Agent{
			Name:    fmt.Sprintf("t%d", i),
			Request: template.Request{CPU: units.MilliCPU(500 + r.IntN(7500)), Memory: units.Bytes(1+r.IntN(30)) << 30},
		})
	}
	var fitting []float64
	for range 5 {
		began := time.Now()
		n := 0
		for _, s := range fleet.Sites(&spec, nil) {
			for _, a := range agents {
				n += s.FitOn(a, nil).Agents
			}
		}
		fitting = append(fitting, time.Since(began).Seconds())
		if n == 0 {
			return fmt.Errorf("nothing fits")
		}
	}
	fmt.Printf("fit: 20 templates on 50 types of nodes, with every step of price\n  fitting                       %7.3f s\n\n",
		median(fitting))
	return nil
}
