package wire

// A StageState says how far a step of the work has come.
type StageState string

// How far a step has come.
const (
	StageDone    StageState = "done"
	StageBegun   StageState = "begun"   // something is known, and something to be done
	StageMissing StageState = "missing" // nothing is known
)

// A Stage is one step of the work on a design, in the order in which it is done.
type Stage struct {
	Step    string     `json:"step" enum:"connect,template,match,try,size,scale,cache,cost,decide,watch" doc:"Which it is."`
	Title   string     `json:"title" doc:"What is done."`
	State   StageState `json:"state" enum:"done,begun,missing" doc:"How far it has come."`
	Known   string     `json:"known,omitempty" doc:"What is known."`
	Missing string     `json:"missing,omitempty" doc:"What is not, or is wrong."`
	Next    string     `json:"next,omitempty" doc:"What to do next, in few words."`
	Page    string     `json:"page,omitempty" doc:"The console's page where that is done."`
}

// A Path is how far the work on a scenario has come, and how sure what is known of it is.
type Path struct {
	Scenario string  `json:"scenario,omitempty" doc:"The scenario; absent: there is none."`
	Steps    []Stage `json:"steps" doc:"The ten steps, in their order."`
	Next     string  `json:"next,omitempty" doc:"The first step at which something is to be done; absent: none."`
	Sure     string  `json:"sure" doc:"How sure the whole is, in words."`
}
