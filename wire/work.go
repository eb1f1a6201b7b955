package wire

// WorkBrief is what is told of every long work.
type WorkBrief struct {
	ID       uint64  `json:"id" doc:"Its number."`
	Scenario string  `json:"scenario" doc:"Name of the scenario."`
	State    string  `json:"state" enum:"queued,running,done,failed,cancelled" doc:"How far it has come."`
	Progress float64 `json:"progress" doc:"Share done, 0 to 1."`
	Error    string  `json:"error,omitempty" doc:"Why it failed."`
	Defect   string  `json:"defect,omitempty" doc:"Of a defect of the engine: seed, repeat and stack, to be reported; absent in lists."`
	Asked    string  `json:"asked" format:"date-time" doc:"When it was asked for."`
	Seconds  float64 `json:"seconds,omitempty" doc:"How long it took."`
	By       string  `json:"by" doc:"Whose token asked."`
}

// Work returns it, of all that it is a part of.
func (b WorkBrief) Work() WorkBrief { return b }

// Page is a page of a list.
type Page[T any] struct {
	Items []T    `json:"items" doc:"Newest first."`
	Next  uint64 `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}
