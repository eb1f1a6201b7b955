package demand

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"
)

// maxLine bounds one line of JSON.
const maxLine = 1 << 20

// readJSONLines reads one object a line, its fields named as columns are. Numbers
// count as seconds or plain amounts, wants may be a list.
func (r *Recording) readJSONLines(src io.Reader) error {
	lines := bufio.NewScanner(src)
	lines.Buffer(nil, maxLine)
	for n := 1; lines.Scan(); n++ {
		text := bytes.TrimSpace(lines.Bytes())
		if len(text) == 0 {
			continue
		}
		fields, bad := r.readObject(text)
		if bad != nil {
			bad.Line = n
			r.refuse(*bad)
			continue
		}
		if err := r.take(func(name string) string { return fields[name] }, n); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("a line is longer than %d bytes, or the file cannot be read: %w", maxLine, err)
	}
	return nil
}

// readObject writes an object's fields as a row of CSV would have them.
func (r *Recording) readObject(text []byte) (map[string]string, *BadRow) {
	var raw map[string]any
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	if err := d.Decode(&raw); err != nil || raw == nil {
		return nil, &BadRow{Found: string(text), Reason: "not a JSON object"}
	}
	if d.More() {
		return nil, &BadRow{Found: string(text), Reason: "more than one value on the line"}
	}
	fields := make(map[string]string, len(raw))
	for name, v := range raw {
		name, err := r.ours(name)
		if err != nil {
			return nil, &BadRow{Column: clip(name), Reason: err.Error()}
		}
		if name == "" {
			continue
		}
		switch x := v.(type) {
		case nil:
		case string:
			fields[name] = strings.TrimSpace(x)
		case json.Number:
			fields[name] = x.String()
		case []any:
			words := make([]string, len(x))
			for i, w := range x {
				s, ok := w.(string)
				if !ok || name != "wants" && name != "after" {
					return nil, &BadRow{Column: name, Reason: "expected a single value, or for wants and after a list of words"}
				}
				words[i] = s
			}
			fields[name] = strings.Join(words, " ")
		default:
			return nil, &BadRow{Column: name, Found: fmt.Sprint(x), Reason: "expected text or a number"}
		}
	}
	return fields, nil
}
