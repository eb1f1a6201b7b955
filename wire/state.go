package wire

// State is how far work has come.
type State string

// The states of work.
const (
	Queued    State = "queued"
	Running   State = "running"
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// Over reports whether nothing will happen any more.
func (s State) Over() bool { return s == Done || s == Failed || s == Cancelled }
