package table

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
)

// maxLine bounds one line of JSON.
const maxLine = 1 << 20

// jsonLines reads one object a line, its fields named as columns are. Numbers are given as
// they are written, lists with blanks between their words.
func (r *reader) jsonLines(src io.Reader) error {
	lines := bufio.NewScanner(src)
	lines.Buffer(nil, maxLine)
	fields := make(Row, len(r.Names))
	for n := 1; lines.Scan(); n++ {
		text := bytes.TrimSpace(lines.Bytes())
		if len(text) == 0 {
			continue
		}
		clear(fields)
		if bad := r.object(text, fields); bad != nil {
			bad.Line = n
			r.refuse(*bad)
			continue
		}
		if err := r.take(fields, n); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("a line is longer than %d bytes, or the file cannot be read: %w", maxLine, err)
	}
	return nil
}

// object writes an object's fields as a row of CSV would have them.
func (r *reader) object(text []byte, fields Row) *BadRow {
	var raw map[string]any
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	if err := d.Decode(&raw); err != nil || raw == nil {
		return &BadRow{Found: string(text), Reason: "not a JSON object"}
	}
	if d.More() {
		return &BadRow{Found: string(text), Reason: "more than one value on the line"}
	}
	for name, v := range raw {
		c, err := r.ours(name)
		if err != nil {
			return &BadRow{Column: Clip(name), Reason: err.Error()}
		}
		if c < 0 {
			continue
		}
		switch x := v.(type) {
		case nil:
		case string:
			fields[c] = strings.TrimSpace(x)
		case json.Number:
			fields[c] = x.String()
		case []any:
			words := make([]string, len(x))
			for i, w := range x {
				s, ok := w.(string)
				if !ok || !slices.Contains(r.Lists, r.Names[c]) {
					return &BadRow{Column: r.Names[c], Reason: "expected a single value" + r.listsSaid()}
				}
				words[i] = s
			}
			fields[c] = strings.Join(words, " ")
		default:
			return &BadRow{Column: r.Names[c], Found: fmt.Sprint(x), Reason: "expected text or a number"}
		}
	}
	return nil
}

// listsSaid says which columns may hold lists.
func (r *reader) listsSaid() string {
	if len(r.Lists) == 0 {
		return ""
	}
	return ", or for " + strings.Join(r.Lists, " and ") + " a list of words"
}
