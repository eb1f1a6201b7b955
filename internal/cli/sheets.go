package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"
	"tachyphor/core/units"
)

// A sheet is one table of an answer as CSV holds it: what JSON calls it in the header, with
// the unit, and numbers as they are.
type sheet struct {
	name string
	head []string
	rows []map[string]string
}

// A tree is a value out of JSON with its fields in order.
type tree struct {
	kind   byte // o, a, or s for a scalar
	names  []string
	parts  []*tree
	scalar string
	text   bool
}

// grow reads one value.
func grow(dec *json.Decoder) (*tree, error) {
	tok, err := dec.Token()
	if err != nil {
		return nil, err
	}
	switch t := tok.(type) {
	case json.Delim:
		out := &tree{kind: 'o'}
		if t == '[' {
			out.kind = 'a'
		}
		for dec.More() {
			if out.kind == 'o' {
				name, err := dec.Token()
				if err != nil {
					return nil, err
				}
				out.names = append(out.names, name.(string))
			}
			part, err := grow(dec)
			if err != nil {
				return nil, err
			}
			out.parts = append(out.parts, part)
		}
		_, err = dec.Token()
		return out, err
	case string:
		return &tree{kind: 's', scalar: t, text: true}, nil
	case nil:
		return &tree{kind: 's'}, nil
	default:
		return &tree{kind: 's', scalar: fmt.Sprint(t)}, nil
	}
}

// objects reports whether a list is one of objects.
func (t *tree) objects() bool {
	return t.kind == 'a' && len(t.parts) > 0 && !slices.ContainsFunc(t.parts, func(p *tree) bool { return p.kind != 'o' })
}

// currency is the first that an answer names; empty for none.
func (t *tree) currency() string {
	for i, p := range t.parts {
		if t.kind == 'o' && t.names[i] == "currency" {
			return p.scalar
		}
		if c := p.currency(); c != "" {
			return c
		}
	}
	return ""
}

// naming are fields that tell one thing of a list from another.
var naming = []string{"name", "id", "by", "key", "class", "template", "pool", "label", "unit", "kind", "job"}

// named reports whether an object says which one it is.
func (t *tree) named() bool {
	return slices.ContainsFunc(t.names, func(n string) bool {
		return slices.Contains(naming, n) || slices.Contains([]string{
			"repeat", "percent", "path", "what", "part", "use", "cause", "phase",
			"quantity", "codec",
		}, n)
	})
}

// sheetsOf cuts an answer into tables: its lists of objects, each under the path that
// leads to it, and what else it says in one row. Lists within lists have the names of what
// they are in before them.
func sheetsOf(v any) ([]*sheet, error) {
	b, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	root, err := grow(dec)
	if err != nil {
		return nil, err
	}
	s := &sheets{byName: map[string]*sheet{}, currency: root.currency()}
	if root.kind == 'a' {
		for _, p := range root.parts {
			s.add("list", p, nil)
		}
		if len(root.parts) == 0 {
			s.sheet("list")
		}
		return s.list, nil
	}
	s.add("summary", root, nil)
	return s.list, nil
}

type sheets struct {
	list     []*sheet
	byName   map[string]*sheet
	currency string
	within   string // unit that the name of the list says
}

func (s *sheets) sheet(name string) *sheet {
	if s.byName[name] == nil {
		s.byName[name] = &sheet{name: name}
		s.list = append(s.list, s.byName[name])
	}
	return s.byName[name]
}

// A cellOf is one value of a row.
type cellOf struct{ head, value string }

// add writes one object as a row, after what names the objects that it is in.
func (s *sheets) add(name string, t *tree, before []cellOf) {
	at := s.sheet(name)
	row := map[string]string{}
	set := func(c cellOf) {
		if !slices.Contains(at.head, c.head) {
			at.head = append(at.head, c.head)
		}
		row[c.head] = c.value
	}
	for _, c := range before {
		set(c)
	}
	var names []cellOf // of this object
	type below struct {
		name string
		list *tree
	}
	var lists []below
	var walk func(t *tree, path []string)
	walk = func(t *tree, path []string) {
		for i, n := range t.names {
			p, step := t.parts[i], append(slices.Clone(path), n)
			switch {
			case p.kind == 'o':
				walk(p, step)
			case p.objects():
				lists = append(lists, below{strings.Join(step, "."), p})
			case p.kind == 'a' && len(p.parts) == 0, p.kind == 's' && p.scalar == "" && !p.text: // nothing
			case p.kind == 'a':
				var words []string
				for _, x := range p.parts {
					_, v := s.cell(step, x)
					words = append(words, v)
				}
				head, _ := s.cell(step, &tree{})
				set(cellOf{head, strings.Join(words, ";")})
			default:
				head, v := s.cell(step, p)
				set(cellOf{head, v})
				if len(path) == 0 && slices.Contains(naming, n) {
					of := at.name
					if of == "list" {
						of = "of"
					}
					names = append(names, cellOf{of + "." + head, v})
				}
			}
		}
	}
	walk(t, nil)
	if len(row) > len(before) || len(t.names) == 0 {
		at.rows = append(at.rows, row)
	}
	if name == "summary" || name == "list" {
		names = slices.DeleteFunc(names, func(cellOf) bool { return name == "summary" })
	}
	for _, l := range lists {
		under := l.name
		if name != "summary" && name != "list" {
			under = name + "." + l.name
		}
		s.within = ""
		for _, end := range []string{"Ns", "Nano"} {
			if strings.HasSuffix(under, end) {
				under, s.within = strings.TrimSuffix(under, end), end
			}
		}
		within := s.within
		for i, p := range l.list.parts {
			s.within = within
			of := append(slices.Clone(before), names...)
			if !p.named() { // its place says which it is
				of = append(of, cellOf{"nr", strconv.Itoa(i)})
			}
			s.add(under, p, of)
		}
	}
}

// cell returns the header of a value, with its unit, and the value in that unit.
func (s *sheets) cell(path []string, t *tree) (head, value string) {
	value = t.scalar
	unit, scale := "", 1.0
	steps := slices.Clone(path)
	last := steps[len(steps)-1]
	switch { // amounts that Kubernetes writes with their units
	case slices.Contains([]string{"cpu", "lessCpu"}, last):
		unit = "cores"
		if c, err := units.ParseMilliCPU(value); err == nil {
			value = strconv.FormatFloat(c.Cores(), 'g', -1, 64)
		}
	case slices.Contains([]string{"memory", "disk", "lessMemory"}, last):
		unit = "B"
		if b, err := units.ParseBytes(value); err == nil {
			value = strconv.FormatInt(int64(b), 10)
		}
	}
	if t.text {
		value = table.Cell(value)
	}
	if s.within != "" && slices.Contains([]string{"mean", "half"}, last) {
		steps = append(steps[:len(steps)-1], last+s.within)
	}
	for i, p := range steps {
		switch {
		case last == "runs" && len(steps) > 1: // how many, whatever they are of
			steps[i] = strings.TrimSuffix(strings.TrimSuffix(p, "Ns"), "Nano")
		case p == "ns":
			steps[i], unit, scale = "time", "s", 1e-9
		case p == "nano":
			steps[i], unit, scale = "money", s.currency, 1e-9
		case strings.HasSuffix(p, "Ns"):
			steps[i], unit, scale = strings.TrimSuffix(p, "Ns"), "s", 1e-9
		case strings.HasSuffix(p, "Nano"):
			steps[i], unit, scale = strings.TrimSuffix(p, "Nano"), s.currency, 1e-9
		case strings.HasSuffix(p, "PerMonth"), p == "perMonth":
			unit = s.currency + "/month"
		case strings.HasSuffix(p, "PerHour"), p == "perHour":
			unit = s.currency + "/h"
		case strings.HasSuffix(p, "GB"):
			steps[i], unit = strings.TrimSuffix(p, "GB"), "GB"
		case strings.HasSuffix(p, "Bytes"):
			unit = "B"
		case p == "seconds", strings.HasSuffix(p, "Seconds"):
			unit = "s"
		}
	}
	head = strings.Join(steps, ".")
	if strings.Trim(unit, "/") != "" {
		head += " [" + strings.TrimPrefix(unit, "/") + "]"
	}
	if f, err := strconv.ParseFloat(value, 64); scale != 1 && err == nil {
		value = strconv.FormatFloat(f*scale, 'g', 12, 64)
	}
	return head, value
}

// write writes a table as CSV.
func (s *sheet) write(out io.Writer) error {
	w := csv.NewWriter(out)
	_ = w.Write(s.head)
	for _, r := range s.rows {
		record := make([]string, len(s.head))
		for i, h := range s.head {
			record[i] = r[h]
		}
		_ = w.Write(record)
	}
	w.Flush()
	return w.Error()
}

// sheets writes one table of an answer as CSV, the main one unless --table names another,
// or with --tables the names of all.
func (p *program) sheets(v any, main string) error {
	list, err := sheetsOf(v)
	if err != nil {
		return err
	}
	if p.tables {
		names := &sheet{head: []string{"table", "rows", "columns"}}
		for _, s := range list {
			names.rows = append(names.rows, map[string]string{
				"table": s.name, "rows": strconv.Itoa(len(s.rows)),
				"columns": strings.Join(s.head, ";"),
			})
		}
		return names.write(p.out)
	}
	want := p.sheet
	if want == "" {
		want = main
	}
	for _, s := range list {
		if s.name == want || want == "" {
			return s.write(p.out)
		}
	}
	var names []string
	for _, s := range list {
		names = append(names, s.name)
	}
	if p.sheet == "" { // the main one is empty here
		return nil
	}
	return fmt.Errorf("--table %s: expected one of %s", p.sheet, strings.Join(names, ", "))
}
