package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strings"
)

// Rows reads the rows of a CSV file. Lines without a quote, which are most, are parted at
// their commas; from the first that has one on, encoding/csv reads, to the same rows.
type Rows struct {
	in     *bufio.Reader
	comma  byte
	csv    *csv.Reader // once there was a quote
	line   int         // lines that were read before csv
	fields []string
}

// NewRows reads rows whose fields are parted by a character of ASCII.
func NewRows(in *bufio.Reader, comma byte) *Rows { return &Rows{in: in, comma: comma} }

// Read returns the next row, which is only good until the one after, and the line that it
// begins in. The error is io.EOF at the end, a *csv.ParseError for a row that is none, and
// otherwise that of the source.
func (r *Rows) Read() ([]string, int, error) {
	for r.csv == nil {
		data, err := r.in.ReadSlice('\n')
		if len(data) == 0 || err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
			return nil, r.line + 1, err
		}
		if errors.Is(err, bufio.ErrBufferFull) || bytes.IndexByte(data, '"') >= 0 {
			r.csv = csv.NewReader(io.MultiReader(bytes.NewReader(bytes.Clone(data)), r.in))
			r.csv.ReuseRecord, r.csv.FieldsPerRecord, r.csv.Comma = true, -1, rune(r.comma)
			break
		}
		r.line++
		data = bytes.TrimSuffix(bytes.TrimSuffix(data, []byte("\n")), []byte("\r"))
		if len(data) == 0 {
			continue
		}
		r.fields = r.fields[:0]
		rest := string(data)
		for i := strings.IndexByte(rest, r.comma); i >= 0; i = strings.IndexByte(rest, r.comma) {
			r.fields, rest = append(r.fields, rest[:i]), rest[i+1:]
		}
		r.fields = append(r.fields, rest)
		return r.fields, r.line, nil
	}
	row, err := r.csv.Read()
	var bad *csv.ParseError
	switch {
	case errors.As(err, &bad):
		return nil, r.line + bad.StartLine, err
	case err != nil:
		return nil, r.line, err
	}
	line, _ := r.csv.FieldPos(0)
	return row, r.line + line, nil
}
