package table

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
)

// A Form is a file format of exports.
type Form string

// The formats of exports.
const (
	CSV         Form = "csv"
	JSONLines   Form = "jsonl"
	ParquetFile Form = "parquet"
)

// Forms lists them.
var Forms = []Form{CSV, JSONLines, ParquetFile}

// MediaType returns the format's media type.
func (f Form) MediaType() string {
	return map[Form]string{CSV: "text/csv; charset=utf-8", JSONLines: "application/jsonl", ParquetFile: "application/vnd.apache.parquet"}[f]
}

// A Sheet writes rows of one kind to a file of some format. Close must be called
// after the last row.
type Sheet[R any] struct {
	Write func([]R) error
	Close func() error
}

// NewSheet begins a file.
func NewSheet[R any](out io.Writer, form Form) (Sheet[R], error) {
	switch form {
	case CSV:
		return csvSheet[R](out), nil
	case JSONLines:
		e := json.NewEncoder(out)
		return Sheet[R]{func(rows []R) error {
			for i := range rows {
				if err := e.Encode(&rows[i]); err != nil {
					return err
				}
			}
			return nil
		}, func() error { return nil }}, nil
	case ParquetFile:
		w := parquet.NewGenericWriter[R](out)
		return Sheet[R]{func(rows []R) error { _, err := w.Write(rows); return err }, w.Close}, nil
	}
	return Sheet[R]{}, fmt.Errorf("%q is not an export format; expected csv, jsonl or parquet", form)
}

// csvSheet names its columns as Parquet files do.
func csvSheet[R any](out io.Writer) Sheet[R] {
	w := csv.NewWriter(out)
	t := reflect.TypeFor[R]()
	names := make([]string, t.NumField())
	for i := range names {
		names[i], _, _ = strings.Cut(t.Field(i).Tag.Get("parquet"), ",")
	}
	begun := false
	begin := func() error {
		if begun {
			return nil
		}
		begun = true
		return w.Write(names)
	}
	return Sheet[R]{func(rows []R) error {
		if err := begin(); err != nil {
			return err
		}
		record := make([]string, len(names))
		for i := range rows {
			v := reflect.ValueOf(&rows[i]).Elem()
			for c := range record {
				record[c] = cell(v.Field(c))
			}
			if err := w.Write(record); err != nil {
				return err
			}
		}
		return nil
	}, func() error {
		if err := begin(); err != nil {
			return err
		}
		w.Flush()
		return w.Error()
	}}
}

func cell(v reflect.Value) string {
	switch x := v.Interface().(type) {
	case time.Time:
		return x.Format(time.RFC3339Nano)
	case *time.Time: // nil: not known
		if x == nil {
			return ""
		}
		return x.Format(time.RFC3339Nano)
	case string:
		return Cell(x)
	case bool:
		return strconv.FormatBool(x)
	case float64:
		return strconv.FormatFloat(x, 'g', -1, 64)
	default:
		return strconv.FormatInt(v.Int(), 10)
	}
}
