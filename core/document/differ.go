package document

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A Difference is one thing that two documents of a kind say differently, with what is left out filled in.
type Difference struct {
	Path string `json:"path" doc:"Field, as in spec.templates[0].agents.floor; of the later document where it has it."`
	Of   string `json:"of" doc:"What it is of, by its name where it has one, as in compile-wide; empty: the document itself."`
	What string `json:"what" doc:"What differs, as in spare."`
	Was  string `json:"was" doc:"What the earlier one says; empty: nothing."`
	Is   string `json:"is" doc:"What the later one says; empty: nothing."`

	Entry bool `json:"entry,omitempty" doc:"It is a whole entry of a list, added or taken away."`
}

// String tells the difference in words.
func (d Difference) String() string {
	of := ""
	if d.Of != "" {
		of = d.Of + ": "
	}
	switch {
	case d.Entry && d.Was == "":
		return fmt.Sprintf("%s%s: %s added", of, d.What, d.Is)
	case d.Entry:
		return fmt.Sprintf("%s%s: %s taken away", of, d.What, d.Was)
	case d.Was == "":
		return fmt.Sprintf("%s%s is %s, was not set", of, d.What, d.Is)
	case d.Is == "":
		return fmt.Sprintf("%s%s is not set any more, was %s", of, d.What, d.Was)
	}
	return fmt.Sprintf("%s%s is %s, was %s", of, d.What, d.Is, d.Was)
}

// Differences lists what two documents of a kind say differently, in the order of their fields. Entries of lists are
// held beside each other by what names them (see entryKeys), where that is theirs alone; else by their place. Other
// spellings of the same value do not differ.
func Differences(was, is *Document) ([]Difference, error) {
	a, err := valueTree(was)
	if err != nil {
		return nil, err
	}
	b, err := valueTree(is)
	if err != nil {
		return nil, err
	}
	d := differ{list: []Difference{}}
	d.values(a, b, place{})
	return d.list, nil
}

// valueTree is what a document says, with what is left out filled in.
func valueTree(d *Document) (*node, error) {
	raw, err := json.Marshal(d.Value)
	if err != nil {
		return nil, err
	}
	trees, faults := split("", raw)
	if len(faults) > 0 {
		return nil, faults
	}
	r := &reader{}
	n := r.convert(trees[0].Content[0], 0)
	return n, r.faults.Err()
}

// entryKeys are the fields by which entries of lists are known.
var entryKeys = []string{"name", "template", "pool", "type", "class", "image", "when", "at"}

// place is where something stands: its path, the name of the entry around it, and the fields from there.
type place struct{ path, of, what string }

func (p place) field(key string) place {
	out := place{path: key, of: p.of, what: key}
	if p.path != "" {
		out.path = p.path + "." + key
	}
	if p.what != "" && p.what != "spec" && p.what != "agents" { // of which a template's numbers are the most
		out.what = p.what + "." + key
	}
	return out
}

func (p place) entry(i int, name string) place {
	out := place{path: fmt.Sprintf("%s[%d]", p.path, i), of: name}
	if name == "" {
		out.of, out.what = p.of, fmt.Sprintf("%s %d", p.what, i+1)
	} else if p.of != "" {
		out.of = p.of + ", " + name
	}
	return out
}

type differ struct{ list []Difference }

func (d *differ) entry(p, list place, was, is string) {
	d.list = append(d.list, Difference{Path: p.path, Of: list.of, What: list.what, Was: was, Is: is, Entry: true})
}

func (d *differ) add(p place, was, is string) {
	d.list = append(d.list, Difference{Path: p.path, Of: p.of, What: p.what, Was: was, Is: is})
}

// values compares two values at a place, of which one may be nil.
func (d *differ) values(a, b *node, p place) {
	switch {
	case a == nil && b == nil:
	case a != nil && b != nil && a.kind == objectNode && b.kind == objectNode:
		for _, f := range a.fields {
			if b.get(f.key) == nil {
				d.values(f.value, nil, p.field(f.key))
			} else {
				d.values(f.value, b.get(f.key), p.field(f.key))
			}
		}
		for _, f := range b.fields {
			if a.get(f.key) == nil {
				d.values(nil, f.value, p.field(f.key))
			}
		}
	case a == nil && b.kind == objectNode && p.of == "": // a part that one of them has not, by its fields
		d.values(&node{kind: objectNode}, b, p)
	case b == nil && a.kind == objectNode && p.of == "":
		d.values(a, &node{kind: objectNode}, p)
	case a == nil && b.kind == listNode:
		d.lists(&node{kind: listNode}, b, p)
	case b == nil && a.kind == listNode:
		d.lists(a, &node{kind: listNode}, p)
	case a != nil && b != nil && a.kind == listNode && b.kind == listNode:
		d.lists(a, b, p)
	default:
		if was, is := inWords(a), inWords(b); was != is {
			d.add(p, was, is)
		}
	}
}

func (d *differ) lists(a, b *node, p place) {
	before, after := namesOf(a), namesOf(b)
	if before == nil || after == nil {
		if !entries(a) && !entries(b) { // of single values: as a whole
			if was, is := inWords(a), inWords(b); was != is {
				d.add(p, was, is)
			}
			return
		}
		for i := range max(len(a.items), len(b.items)) {
			var x, y *node
			if i < len(a.items) {
				x = a.items[i]
			}
			if i < len(b.items) {
				y = b.items[i]
			}
			if at := p.entry(i, ""); x == nil || y == nil {
				d.entry(at, p, inWords(x), inWords(y))
			} else {
				d.values(x, y, at)
			}
		}
		return
	}
	for i, name := range before {
		at := p.entry(i, name)
		if j := slices.Index(after, name); j >= 0 {
			at.path = p.entry(j, name).path
			d.values(a.items[i], b.items[j], at)
		} else {
			d.entry(at, p, without(name, a.items[i]), "")
		}
	}
	for j, name := range after {
		if !slices.Contains(before, name) {
			d.entry(p.entry(j, name), p, "", without(name, b.items[j]))
		}
	}
	there := func(in []string) func(string) bool { return func(s string) bool { return !slices.Contains(in, s) } }
	stay, now := slices.DeleteFunc(slices.Clone(before), there(after)), slices.DeleteFunc(slices.Clone(after), there(before))
	if !slices.Equal(stay, now) {
		d.add(place{path: p.path, of: p.of, what: "order of " + p.what}, strings.Join(stay, ", "), strings.Join(now, ", "))
	}
}

// namesOf are the names of a list's entries; nil: they have none, or not each its own.
func namesOf(list *node) []string {
	names := []string{}
	for _, x := range list.items {
		name := ""
		if x.kind == objectNode {
			for _, key := range entryKeys {
				if v := x.get(key); v != nil && v.scalar != "" {
					name = v.scalar
					break
				}
			}
		}
		if name == "" || slices.Contains(names, name) {
			return nil
		}
		names = append(names, name)
	}
	return names
}

// entries reports whether a list has objects in it.
func entries(list *node) bool {
	return slices.ContainsFunc(list.items, func(n *node) bool { return n.kind == objectNode || n.kind == listNode })
}

// without writes an entry as its name, and the rest of what it says.
func without(name string, n *node) string {
	var rest []string
	for _, f := range n.fields {
		if f.value.scalar != name {
			rest = append(rest, f.key+" "+inWords(f.value))
		}
	}
	if len(rest) == 0 {
		return name
	}
	return name + " (" + strings.Join(rest, ", ") + ")"
}

// inWords writes a value on a line; nothing: empty.
func inWords(n *node) string {
	if n == nil {
		return ""
	}
	switch n.kind {
	case objectNode:
		parts := make([]string, len(n.fields))
		for i, f := range n.fields {
			parts[i] = f.key + " " + inWords(f.value)
		}
		return strings.Join(parts, ", ")
	case listNode:
		parts := make([]string, len(n.items))
		for i, x := range n.items {
			parts[i] = inWords(x)
		}
		return strings.Join(parts, ", ")
	case boolNode:
		if n.scalar == "true" {
			return "yes"
		}
		return "no"
	case textNode:
		if n.scalar == "" {
			return strconv.Quote("")
		}
	}
	return clip(n.scalar)
}
