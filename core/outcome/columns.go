package outcome

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"github.com/parquet-go/parquet-go"
)

// BlockJobs is how many jobs a stored block holds.
const BlockJobs = 8192

// Block writes jobs from to to (not included) as a block of compressed columns: a
// Parquet file of its own.
func (r *Rower) Block(from, to int) ([]byte, error) {
	rows := make([]JobRow, 0, to-from)
	for j := from; j < to; j++ {
		rows = append(rows, r.Row(j))
	}
	var b bytes.Buffer
	w := parquet.NewGenericWriter[JobRow](&b)
	if _, err := w.Write(rows); err != nil {
		return nil, err
	}
	err := w.Close()
	return b.Bytes(), err
}

// ReadBlock returns n rows of a block from the given one on, or as many as there
// are.
func ReadBlock(data []byte, from, n int) (rows []JobRow, err error) {
	f, err := parquet.OpenFile(bytes.NewReader(data), int64(len(data)), parquet.SkipBloomFilters(true), parquet.SkipPageIndex(true))
	if err != nil {
		return nil, fmt.Errorf("a stored block of jobs cannot be read: %w", err)
	}
	r := parquet.NewGenericReader[JobRow](f)
	defer func() { err = errors.Join(err, r.Close()) }()
	if err := r.SeekToRow(int64(from)); err != nil {
		return nil, err
	}
	rows = make([]JobRow, max(0, min(n, int(r.NumRows())-from)))
	got, err := r.Read(rows)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return rows[:got], err
}
