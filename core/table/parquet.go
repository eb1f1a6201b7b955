package table

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// ParquetMagic are a Parquet file's first bytes.
const ParquetMagic = "PAR1"

// maxParquet bounds a Parquet file, which is read whole.
const maxParquet = 256 << 20

// parquet reads a flat Parquet file and gives each row's fields as text: numbers
// plainly, times in RFC 3339. Rows count from 1, as there is no header.
func (r *reader) parquet(src io.Reader) (err error) {
	data, err := io.ReadAll(io.LimitReader(src, maxParquet+1))
	if err != nil {
		return err
	}
	if len(data) > maxParquet {
		return fmt.Errorf("the Parquet file is larger than %d MiB", maxParquet>>20)
	}
	defer func() { // the library's answer to some broken files
		if p := recover(); p != nil {
			err = fmt.Errorf("%w: %v", errDamaged, p)
		}
	}()
	f, err := openParquet(data)
	if err != nil {
		return err
	}
	if err := checkPages(data, f); err != nil {
		return err
	}
	at, err := r.leaves(f.Schema())
	if err != nil {
		return err
	}
	line := 0
	for _, group := range f.RowGroups() {
		rows := group.Rows()
		if err := readRows(rows, at, &line, len(r.Names), r.take); err != nil {
			_ = rows.Close()
			return err
		}
		if err := rows.Close(); err != nil {
			return err
		}
	}
	return nil
}

// openParquet opens a file whose footer can be what it says.
func openParquet(data []byte) (*parquet.File, error) {
	if err := checkFooter(data); err != nil {
		return nil, err
	}
	f, err := parquet.OpenFile(bytes.NewReader(data), int64(len(data)), parquet.SkipPageIndex(true), parquet.SkipBloomFilters(true))
	if err != nil {
		return nil, fmt.Errorf("not a Parquet file: %w", err)
	}
	return f, nil
}

// ParquetNames lists the columns of a Parquet file, of those within others the outermost.
func ParquetNames(data []byte) (names []string, err error) {
	defer func() { // the library's answer to some broken files
		if p := recover(); p != nil {
			err = fmt.Errorf("%w: %v", errDamaged, p)
		}
	}()
	f, err := openParquet(data)
	if err != nil {
		return nil, err
	}
	for _, path := range f.Schema().Columns() {
		if !slices.Contains(names, path[0]) {
			names = append(names, path[0])
		}
	}
	return names, nil
}

// IsParquet reports whether a file begins as Parquet files do.
func IsParquet(data []byte) bool { return bytes.HasPrefix(data, []byte(parquetMagic)) }

// A leaf is a column of a Parquet file: what its values are written as.
type leaf struct {
	column int // ours
	write  func(parquet.Value) string
}

// leaves says what each leaf column of a file is to us.
func (r *reader) leaves(s *parquet.Schema) (map[int]leaf, error) {
	at, there := map[int]leaf{}, make([]bool, len(r.Names))
	for _, path := range s.Columns() {
		found, _ := s.Lookup(path...)
		c, err := r.ours(path[0])
		if err != nil {
			return nil, err
		}
		if c < 0 {
			continue
		}
		if len(path) > 1 && !slices.Contains(r.Lists, r.Names[c]) {
			return nil, fmt.Errorf("column %q is not flat", path[0])
		}
		at[found.ColumnIndex] = leaf{c, writer(found.Node.Type())}
		there[c] = true
	}
	return at, r.complete(there)
}

// writer says how values of a type are written as text.
func writer(t parquet.Type) func(parquet.Value) string {
	if stamp := timestamp(t); stamp != nil {
		unit := stamp.Unit.Value.Duration()
		return func(v parquet.Value) string {
			n := v.Int64()
			per := int64(time.Second / unit)
			sec := n / per
			if n%per < 0 {
				sec--
			}
			return time.Unix(sec, (n-sec*per)*int64(unit)).UTC().Format(time.RFC3339Nano)
		}
	}
	return func(v parquet.Value) string {
		switch v.Kind() {
		case parquet.ByteArray, parquet.FixedLenByteArray:
			return string(v.ByteArray())
		case parquet.Double:
			return strconv.FormatFloat(v.Double(), 'f', -1, 64)
		case parquet.Float:
			return strconv.FormatFloat(float64(v.Float()), 'f', -1, 32)
		case parquet.Int32:
			return strconv.Itoa(int(v.Int32()))
		case parquet.Int64:
			return strconv.FormatInt(v.Int64(), 10)
		}
		return v.String()
	}
}

// timestamp returns a type's unit of time; nil when it is no moment.
func timestamp(t parquet.Type) *format.TimestampType {
	if l := t.LogicalType(); l != nil {
		if stamp, ok := l.Value.(*format.TimestampType); ok && stamp.Unit.Value != nil {
			return stamp
		}
	}
	return nil
}

// readRows gives the rows of a part of a file, of so many columns of ours.
func readRows(rows parquet.Rows, at map[int]leaf, line *int, columns int, take func(Row, int) error) error {
	batch, fields := make([]parquet.Row, 256), make(Row, columns)
	for {
		n, err := rows.ReadRows(batch)
		for _, row := range batch[:n] {
			*line++
			clear(fields)
			for _, v := range row {
				l, ok := at[v.Column()]
				if !ok || v.IsNull() {
					continue
				}
				text := strings.TrimSpace(l.write(v))
				if had := fields[l.column]; had != "" {
					text = had + " " + text
				}
				fields[l.column] = text
			}
			if err := take(fields, *line); err != nil {
				return err
			}
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return fmt.Errorf("row %d of the Parquet file cannot be read: %w", *line+1, err)
		}
	}
}
