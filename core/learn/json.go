package learn

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
)

// json makes a grid of objects: one a line, in an array, or in the array that an object
// holds. Objects within them are columns of their own, named with a point.
func (g *grid) json(text []byte) error {
	g.headed = true
	begin, form, err := objectsAt(text)
	if err != nil {
		return err
	}
	g.form = Guess{What: "format", Is: form, Why: "its first characters"}
	at := map[string]int{}
	name := func(n string) int {
		i, ok := at[n]
		if !ok && len(g.names) <= mostColumns { // those beyond are too many in any case
			i, ok = len(g.names), true
			at[n], g.names = i, append(g.names, n)
		}
		if !ok {
			return -1
		}
		return i
	}
	g.each = func(take func([]string, int) error, bad func(int, int, string)) error {
		cells := make([]string, len(g.names))
		nth := 0
		return eachObject(text[begin:], form == jsonLines, func(line int, object []byte) error {
			nth++
			if line == 0 {
				line = nth
			}
			clear(cells)
			if err := flatten("", object, 0, func(column, value string) {
				switch i := name(column); {
				case i < 0:
				case i < len(cells):
					cells[i] = value
				default:
					cells = append(cells, value)
				}
			}); err != nil {
				bad(line, 1, err.Error())
				return nil
			}
			return take(cells, line)
		}, bad)
	}
	// Once through it for its columns.
	err = g.each(func([]string, int) error { return nil }, func(int, int, string) {})
	if err == nil && len(g.names) == 0 {
		err = errors.New("no object of it has a field; a job log has an object for each job")
	}
	return err
}

// jsonLines is how objects on lines of their own are told.
const jsonLines = "JSON Lines"

// objectsAt finds where the objects of a document begin, and how they are held.
func objectsAt(text []byte) (begin int, form string, err error) {
	if text[0] == '[' {
		return 0, "a JSON array", nil
	}
	line, _, _ := bytes.Cut(text, []byte("\n"))
	if json.Valid(bytes.TrimSpace(line)) && !onlyOne(text) {
		return 0, jsonLines, nil
	}
	// One object: the longest array of objects among its fields.
	d := json.NewDecoder(bytes.NewReader(text))
	if _, err := d.Token(); err != nil {
		return 0, "", notJSON(err)
	}
	found, most := "", 0
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return 0, "", notJSON(err)
		}
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return 0, "", notJSON(err)
		}
		if t := bytes.TrimSpace(raw); len(t) > most && len(t) > 1 && t[0] == '[' {
			most, begin, found = len(t), int(d.InputOffset())-len(t), fmt.Sprint(key)
		}
	}
	if found == "" {
		return 0, jsonLines, nil
	}
	return begin, fmt.Sprintf("the JSON array %q", found), nil
}

// onlyOne reports whether the text is a single JSON value.
func onlyOne(text []byte) bool {
	d := json.NewDecoder(bytes.NewReader(text))
	var raw json.RawMessage
	if d.Decode(&raw) != nil || d.More() {
		return false
	}
	var fields map[string]json.RawMessage
	if json.Unmarshal(raw, &fields) != nil {
		return false
	}
	for _, f := range fields {
		if t := bytes.TrimSpace(f); len(t) > 1 && t[0] == '[' && bytes.HasPrefix(bytes.TrimSpace(t[1:]), []byte("{")) {
			return true
		}
	}
	return false
}

func notJSON(err error) error { return fmt.Errorf("it starts like JSON, but is not JSON: %w", err) }

// eachObject goes through the objects of an array, or of lines; line is 0 in an array.
func eachObject(text []byte, lines bool, take func(line int, object []byte) error, bad func(int, int, string)) error {
	if lines {
		n := 0
		for line := range bytes.Lines(text) {
			n++
			line = bytes.TrimSpace(line)
			if len(line) == 0 {
				continue
			}
			if !json.Valid(line) || line[0] != '{' {
				bad(n, 1, "not a JSON object")
				continue
			}
			if err := take(n, line); err != nil {
				return err
			}
		}
		return nil
	}
	d := json.NewDecoder(bytes.NewReader(text))
	if _, err := d.Token(); err != nil {
		return notJSON(err)
	}
	n := 0
	for d.More() {
		n++
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			if errors.Is(err, io.ErrUnexpectedEOF) {
				return fmt.Errorf("its array is cut short after %d objects", n-1)
			}
			return notJSON(err)
		}
		if t := bytes.TrimSpace(raw); len(t) == 0 || t[0] != '{' {
			bad(n, 1, "not a JSON object")
			continue
		}
		if err := take(0, raw); err != nil {
			return err
		}
	}
	return nil
}

// mostDeep is how deep objects within objects are looked into.
const mostDeep = 4

// flatten tells the fields of an object as text; lists of plain values are put together as
// JSON lists.
func flatten(prefix string, object []byte, deep int, tell func(column, value string)) error {
	d := json.NewDecoder(bytes.NewReader(object))
	d.UseNumber()
	if _, err := d.Token(); err != nil {
		return err
	}
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return err
		}
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return err
		}
		column := prefix + fmt.Sprint(key)
		switch t := bytes.TrimSpace(raw); t[0] {
		case '{':
			if deep < mostDeep {
				if err := flatten(column+".", t, deep+1, tell); err != nil {
					return err
				}
			}
		case '"':
			var s string
			if err := json.Unmarshal(t, &s); err != nil {
				return err
			}
			tell(column, strings.TrimSpace(s))
		case 'n':
			tell(column, "")
		default: // numbers, true and false, lists as they are
			tell(column, string(t))
		}
	}
	return nil
}
