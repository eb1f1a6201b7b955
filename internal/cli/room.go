package cli

import (
	"fmt"

	"tachyphor/core/units"
	"tachyphor/internal/memory"
)

// room is on how many of the asked workers work of some need fits into the memory of this
// machine; an error when one is too many.
func room(asked int, need func(workers int) units.Bytes) (workers int, err error) {
	limit := memory.Limit()
	memory.Heed(limit)
	may := memory.Work(limit)
	if workers = memory.Workers(asked, may, need); workers == 0 {
		return 0, no(fmt.Errorf("it would take about %s of memory and may take %s; ask for a shorter span, for fewer repeats or "+
			"jobs, or try it where there is more memory",
			need(1).Short(), may.Short()))
	}
	return workers, nil
}
