package weigh

import (
	"errors"
	"fmt"

	"tachyphor/core/caching"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Ask is what is asked of a weighing, as people write it.
type Ask struct {
	PerHour string `json:"perHour,omitempty" maxLength:"20" doc:"What an hour of lead time is worth, as in 60/h; absent: the scenario's waiting."`
	Class   string `json:"class,omitempty" maxLength:"63" doc:"Class whose break-even is drawn; absent: the one with most to win."`
	X       string `json:"x,omitempty" enum:"size,up,down,pack,change,per-day,cold" doc:"Quantity along the map; absent: up."`
	Y       string `json:"y,omitempty" enum:"size,up,down,pack,change,per-day,cold" doc:"Quantity up the map; absent: change."`
}

// ErrAsk says that a weighing cannot be made as it was asked.
var ErrAsk = errors.New("cannot weigh that")

// Question is what is asked of a world; what is wrong with it wraps ErrAsk.
func (a Ask) Question(w *world.World) (Question, error) {
	q := Question{World: w, Class: a.Class, X: caching.Quantity(a.X), Y: caching.Quantity(a.Y)}
	if a.PerHour != "" {
		p, err := units.ParsePrice(a.PerHour)
		if err != nil {
			return q, fmt.Errorf("%w: perHour: %w", ErrAsk, err)
		}
		q.Hour = p
	}
	if err := q.Check(); err != nil {
		return q, fmt.Errorf("%w: %w", ErrAsk, err)
	}
	return q, nil
}
