package outcome

import (
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// A JobRow is how one job fared, flat, as it is stored and exported. Times are in
// nanoseconds; those that never came are below 0.
type JobRow struct {
	ID        string    `json:"id" parquet:"id,zstd" doc:"Job."`
	Class     string    `json:"class" parquet:"class,dict,zstd" doc:"Its class."`
	Project   string    `json:"project" parquet:"project,dict,zstd" doc:"Its class's project."`
	Branch    string    `json:"branch" parquet:"branch,dict,zstd" doc:"trunk or change."`
	Template  string    `json:"template" parquet:"template,dict,zstd" doc:"Template it got; empty when none fits."`
	Submitted time.Time `json:"submitted" parquet:"submitted,timestamp(nanosecond),zstd" doc:"When it was submitted, or released by the jobs it comes after."`
	Result    string    `json:"result" parquet:"result,dict,zstd" doc:"How it ended."`
	Lost      int32     `json:"lost" parquet:"lost,zstd" doc:"Attempts that were cut short."`
	Warm      bool      `json:"warm" parquet:"warm" doc:"An idle agent was there when it came, and it took it."`
	Agent     string    `json:"agent" parquet:"agent,dict,zstd" doc:"Agent that ran it last."`
	Node      string    `json:"node" parquet:"node,dict,zstd" doc:"Node of that agent."`
	Phase     string    `json:"phase" parquet:"phase,dict,zstd" doc:"Phase of what it waited for longest before it started."`
	Cause     string    `json:"cause" parquet:"cause,dict,zstd" doc:"What it waited for longest before it started."`
	DelayNs   int64     `json:"delayNs" parquet:"delay_ns,delta,zstd" doc:"Start delay."`
	LeadNs    int64     `json:"leadNs" parquet:"lead_ns,delta,zstd" doc:"Lead time; the phases add up to it."`
	HeldNs    int64     `json:"heldNs" parquet:"held_ns,delta,zstd" doc:"Phase held."`
	PlacingNs int64     `json:"placingNs" parquet:"placing_ns,delta,zstd" doc:"Phase placing."`
	NodeNs    int64     `json:"nodeNs" parquet:"node_ns,delta,zstd" doc:"Phase node."`
	ImageNs   int64     `json:"imageNs" parquet:"image_ns,delta,zstd" doc:"Phase image."`
	SetupNs   int64     `json:"setupNs" parquet:"setup_ns,delta,zstd" doc:"Phase setup."`
	JoinNs    int64     `json:"joinNs" parquet:"join_ns,delta,zstd" doc:"Phase join."`
	RestoreNs int64     `json:"restoreNs" parquet:"restore_ns,delta,zstd" doc:"Phase restore."`
	WorkNs    int64     `json:"workNs" parquet:"work_ns,delta,zstd" doc:"Phase work, the next four included."`
	ColdNs    int64     `json:"coldNs" parquet:"cold_ns,delta,zstd" doc:"Work that a warm cache would have saved."`
	StretchNs int64     `json:"stretchNs" parquet:"stretch_ns,delta,zstd" doc:"CPU that it wanted and did not get."`
	LostNs    int64     `json:"lostNs" parquet:"lost_ns,delta,zstd" doc:"Attempts that were cut short."`
	RerunNs   int64     `json:"rerunNs" parquet:"rerun_ns,delta,zstd" doc:"Waiting to run again."`
	SaveNs    int64     `json:"saveNs" parquet:"save_ns,delta,zstd" doc:"Phase save."`
	WipeNs    int64     `json:"wipeNs" parquet:"wipe_ns,delta,zstd" doc:"Phase wipe."`
	CostNano  int64     `json:"costNano" parquet:"cost_nano,delta,zstd" doc:"Its share of the node cost within the window, in billionths of the currency."`
	Warmup    bool      `json:"warmup" parquet:"warmup,zstd" doc:"It was submitted in the warm-up: no figure counts it, and its cost is that of its time within the window alone."`
}

// A Rower writes the jobs of a trace as rows. Its methods may be called from
// several goroutines.
type Rower struct {
	t     *sim.Trace
	costs []int64
}

// NewRower prepares to write a trace's jobs.
func NewRower(t *sim.Trace) *Rower { return &Rower{t, JobCosts(t)} }

// Len returns the number of jobs.
func (r *Rower) Len() int { return len(r.t.Records) }

// Row writes job j.
func (r *Rower) Row(j int) JobRow {
	t := r.t
	job, rec := &t.Jobs.List[j], &t.Records[j]
	class := &t.World.Classes[job.Class]
	row := JobRow{
		ID: t.Jobs.ID(j), Class: class.Name, Project: class.Project, Branch: "trunk",
		Submitted: t.World.Start.Add(time.Duration(t.From(j))).UTC(), Result: rec.Result.String(), Lost: int32(rec.Lost), Warm: rec.Warm,
		DelayNs: -1, LeadNs: -1, CostNano: r.costs[j], Warmup: job.Submitted < t.World.Plan.Warmup,
	}
	if job.Change {
		row.Branch = "change"
	}
	if rec.Template < 0 {
		return row
	}
	row.Template = t.World.Templates[rec.Template].Name
	if rec.Started < 0 {
		return row
	}
	row.DelayNs = int64(rec.Started - t.From(j))
	row.Agent, row.Node = agentName(t, j), t.NodeName(rec.Node)
	if rec.Ended >= 0 {
		row.LeadNs = int64(rec.Ended - t.From(j))
	}
	phases := [sim.Phases]*int64{
		&row.HeldNs, &row.PlacingNs, &row.NodeNs, &row.ImageNs, &row.SetupNs, &row.JoinNs, &row.RestoreNs, &row.WorkNs, &row.SaveNs, &row.WipeNs,
	}
	var longest units.Duration
	t.EachStay(j, func(s sim.Stay) {
		d := s.To - s.From
		*phases[s.Cause.Phase()] += int64(d)
		switch s.Cause {
		case sim.ColdWork:
			row.ColdNs += int64(d)
		case sim.Stretched:
			row.StretchNs += int64(d)
		case sim.LostWork:
			row.LostNs += int64(d)
		case sim.Rerun:
			row.RerunNs += int64(d)
		}
		if s.Cause.Phase() < sim.Restore && d > longest {
			longest, row.Phase, row.Cause = d, s.Cause.Phase().String(), s.Cause.String()
		}
	})
	return row
}

// A LineRow is one value of a quantity over time, as it is exported.
type LineRow struct {
	From     time.Time `json:"from" parquet:"from,timestamp(nanosecond),zstd" doc:"Start of the interval."`
	Quantity string    `json:"quantity" parquet:"quantity,dict,zstd" doc:"What it is: waiting, agents, nodes, cpu, memory, stored or money."`
	Name     string    `json:"name" parquet:"name,dict,zstd" doc:"Of what, where there are several."`
	Unit     string    `json:"unit" parquet:"unit,dict,zstd" doc:"Unit of the value."`
	Value    float64   `json:"value" parquet:"value,zstd" doc:"Mean over the interval and the repeats."`
}

// LineRows writes an outcome's time lines as rows, by interval.
func (o *Outcome) LineRows() []LineRow {
	type line struct {
		quantity, name, unit string
		values               []float64
	}
	all := []line{{"waiting", "", "jobs", o.Lines.Waiting}}
	for _, x := range []struct {
		quantity, unit string
		list           []NamedLine
	}{
		{"agents", "agents", o.Lines.Agents},
		{"nodes", "nodes", o.Lines.Nodes},
		{"cpu", "cores", o.Lines.CPU},
		{"memory", "GiB", o.Lines.Memory},
	} {
		for _, l := range x.list {
			all = append(all, line{x.quantity, l.Name, x.unit, l.Values})
		}
	}
	if o.Lines.Before != nil {
		all = append(all, line{"agents", "before a change", "agents", o.Lines.Before})
	}
	if o.Lines.Stored != nil {
		all = append(all, line{"stored", "", "GB", o.Lines.Stored})
	}
	all = append(all, line{"money", "", o.Cost.Currency + "/h", o.Lines.Money})
	out := make([]LineRow, 0, len(all)*len(o.Lines.Waiting))
	for b := range o.Lines.Waiting {
		from := o.Start.Add(time.Duration(int64(b) * o.Lines.BinNs)).UTC()
		for _, l := range all {
			out = append(out, LineRow{from, l.quantity, l.name, l.unit, l.values[b]})
		}
	}
	return out
}
