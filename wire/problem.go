package wire

import "strings"

// A Problem is an answer that says no, with its reasons: problem details as RFC 9457 has
// them.
type Problem struct {
	Type     string           `json:"type,omitempty"`
	Title    string           `json:"title,omitempty"`
	Status   int              `json:"status,omitempty"` // of HTTP
	Detail   string           `json:"detail,omitempty"`
	Instance string           `json:"instance,omitempty"`
	Errors   []*ProblemReason `json:"errors,omitempty"`
}

// A ProblemReason is one of several reasons.
type ProblemReason struct {
	Message  string `json:"message,omitempty"`
	Location string `json:"location,omitempty"` // where in what was sent
	Value    any    `json:"value,omitempty"`    // what stood there
}

// Error writes the detail and every reason on a line of its own.
func (p *Problem) Error() string {
	lines := []string{p.Detail}
	if p.Detail == "" {
		lines[0] = p.Title
	}
	for _, e := range p.Errors {
		lines = append(lines, "  "+e.Message)
	}
	return strings.Join(lines, "\n")
}
