package demand

import (
	"io"

	"tachyphor/core/table"
)

// readParquet reads a flat Parquet file, its columns named as those of CSV.
// Numbers count as seconds or plain amounts; times may be Parquet's own.
func (r *Recording) readParquet(src io.Reader) error {
	return table.Parquet(src, table.Columns{Ours: r.ours, Lists: []string{"wants", "after"}, Must: []string{"submitted", "class"}, Said: r.said}, r.take)
}
