package live

import "time"

// A Row is a job in a log of jobs that happened. Its columns are named by the roles of a job
// log's columns, and basis tells on what the moment of asking rests.
type Row struct {
	ID        string     `json:"id" parquet:"id,zstd" doc:"Its id where it came from."`
	Submitted *time.Time `json:"submitted,omitempty" parquet:"submitted,optional,timestamp(nanosecond),zstd" doc:"When it asked for an agent, as far as is known."`
	Started   *time.Time `json:"started,omitempty" parquet:"started,optional,timestamp(nanosecond),zstd" doc:"When it began; absent: not known to have."`
	Ended     *time.Time `json:"ended,omitempty" parquet:"ended,optional,timestamp(nanosecond),zstd" doc:"When it was over; absent: not known to be."`
	Name      string     `json:"name,omitempty" parquet:"name,dict,zstd" doc:"Its name, that of its pipeline before it."`
	Class     string     `json:"class,omitempty" parquet:"class,dict,zstd" doc:"Its class, where the sender told one."`
	Project   string     `json:"project,omitempty" parquet:"project,dict,zstd" doc:"Its project."`
	Wants     string     `json:"wants,omitempty" parquet:"wants,dict,zstd" doc:"Words that its agent must offer."`
	Branch    string     `json:"branch,omitempty" parquet:"branch,dict,zstd" doc:"The branch that it built."`
	Change    string     `json:"change,omitempty" parquet:"change,dict,zstd" doc:"The change request that it built."`
	Result    string     `json:"result,omitempty" parquet:"result,dict,zstd" doc:"How it ended, in the sender's words; running, waiting or lost where no end was told."`
	After     string     `json:"after,omitempty" parquet:"after,zstd" doc:"Jobs that it came after."`
	Attempt   string     `json:"attempt,omitempty" parquet:"attempt,dict,zstd" doc:"Which try of it this was."`
	Cache     string     `json:"cache,omitempty" parquet:"cache,dict,zstd" doc:"What it found of its workspace."`
	Cores     string     `json:"cores,omitempty" parquet:"cores,dict,zstd" doc:"Cores that it kept busy."`
	Memory    string     `json:"memory,omitempty" parquet:"memory,dict,zstd" doc:"Its peak of memory."`
	Disk      string     `json:"disk,omitempty" parquet:"disk,dict,zstd" doc:"Its peak of disk."`
	Pod       string     `json:"pod,omitempty" parquet:"pod,dict,zstd" doc:"The pod that it ran in."`
	Phases    string     `json:"phases,omitempty" parquet:"phases,zstd" doc:"What it waited for, as in node=86s image=12s, where the sender told it."`
	Basis     string     `json:"basis" parquet:"basis,dict,zstd" doc:"On what submitted rests: queue, pipeline, sibling, or start, where nothing tells how long it waited."`
}

// Row writes a job as a row of a log. A job that was closed by rule is one that was cut short.
func (j *Job) Row() Row {
	row := Row{
		ID: j.ID, Submitted: known(j.Asked), Started: known(j.Started), Ended: known(j.Ended), Name: j.Is(Name), Class: j.Is(Class),
		Project: j.Is(Project), Wants: j.Is(Wants), Branch: j.Is(Branch), Change: j.Is(Change), Result: j.Is(Result), After: j.Is(After),
		Attempt: j.Is(Attempt), Cache: j.Is(Cache), Cores: j.Is(Cores), Memory: j.Is(Memory), Disk: j.Is(Disk), Pod: j.Is(Pod), Phases: j.Is(Phases),
		Basis: string(j.Basis),
	}
	if row.Name == "" {
		row.Name = "job"
		if row.Class != "" {
			row.Name = row.Class
		}
	}
	if row.Result == "" {
		row.Result = map[State]string{Silent: "lost", Running: "running", Waiting: "waiting"}[j.State]
	}
	return row
}

// known is a moment, nil where it is not known.
func known(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	t = t.UTC()
	return &t
}
