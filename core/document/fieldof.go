package document

import (
	"encoding/json"
	"fmt"
	"strconv"

	"tachyphor/core/table"
)

// Field follows the way down to a field, in which entries of lists go by their name or their
// template's, or by their number from 0, and returns its JSON pointer and what it says; nil: it
// says nothing there. What the document leaves out may be named too, below objects that are
// there or left out.
func (d *Document) Field(steps []string) (pointer string, says any, err error) {
	at := d.root
	path := make([]any, 0, len(steps))
	for _, s := range steps {
		switch {
		case at == nil:
			path = append(path, s)
		case at.kind == listNode:
			i, known := at.entry(s)
			if i < 0 {
				near := ""
				if best, ok := table.Nearest(s, known); ok {
					near = "; " + strconv.Quote(best) + " is there"
				}
				return "", nil, fmt.Errorf("there is no entry %q%s", s, near)
			}
			path, at = append(path, i), at.items[i]
		case at.kind == objectNode:
			path, at = append(path, s), at.get(s)
		default:
			return "", nil, fmt.Errorf("%q is inside a single value", s)
		}
	}
	if at != nil && at.kind != nullNode {
		if err := json.Unmarshal(at.json(), &says); err != nil {
			return "", nil, err
		}
	}
	return Pointer(path...), says, nil
}

// entry finds an entry of a list by its name, its template or its number; −1: there is none of
// those that are known.
func (n *node) entry(step string) (at int, known []string) {
	for i, x := range n.items {
		for _, key := range []string{"name", "template"} {
			if v := x.get(key); v != nil && v.kind == textNode {
				if v.scalar == step {
					return i, nil
				}
				known = append(known, v.scalar)
			}
		}
	}
	if i, err := strconv.Atoi(step); err == nil && i >= 0 && i < len(n.items) {
		return i, nil
	}
	return -1, known
}
