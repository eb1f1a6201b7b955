package document

import (
	"fmt"
	"slices"
	"strconv"

	"go.yaml.in/yaml/v3"
)

// With returns the document with edits made in what it says, not in its text: nothing is
// written or parsed, so that trying another number costs little. It is what Apply and
// Parse give, but for the Text, which is empty, and for the places of faults, which are
// those of the original. The document itself stays as it is. The error is of an edit that
// cannot be made, the faults are of what came of it.
func (d *Document) With(edits []Edit) (*Document, Faults, error) {
	root := d.root
	for _, e := range edits {
		steps, err := e.steps()
		if err != nil {
			return nil, nil, err
		}
		value, err := e.value(d.File)
		if err != nil {
			return nil, nil, err
		}
		if _, err := e.from(); err != nil {
			return nil, nil, err
		}
		if root, err = root.edited(steps, e, value); err != nil {
			return nil, nil, err
		}
	}
	out, faults := read(d.File, root)
	if len(faults) > 0 {
		for i := range faults {
			faults[i].Path = d.Lift.sourcePath(faults[i].Path)
		}
		return nil, faults.settle(), nil
	}
	out.Lift, out.source = d.Lift, d.source
	return out, nil, nil
}

// value returns the edit's value as a tree; nil for one that takes something away.
func (e Edit) value(file string) (*node, error) {
	y, err := e.encoded()
	if y == nil || err != nil {
		return nil, err
	}
	r := &reader{file: file}
	n := r.convert(y, 0)
	return n, r.faults.Err()
}

// encoded returns the edit's value as YAML has it; nil for one that takes something away or moves it.
func (e Edit) encoded() (*yaml.Node, error) {
	switch e.Op {
	case "remove", "move":
		return nil, nil
	case "add", "replace":
		y := new(yaml.Node)
		err := safely(func() error { return y.Encode(whole(e.Value)) })
		return y, err
	}
	return nil, fmt.Errorf("op %q: expected add, replace, remove or move", e.Op)
}

// edited returns a copy of the tree in which what the steps lead to is changed; what is not
// on the way is shared.
func (n *node) edited(steps []string, e Edit, value *node) (*node, error) {
	step, rest := steps[0], steps[1:]
	last := len(rest) == 0
	out := *n
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("path %q: "+format, append([]any{e.Path}, args...)...)
	}
	// into returns what comes in the place of a child.
	into := func(child *node) (*node, error) {
		if !last {
			return child.edited(rest, e, value)
		}
		placed := *value
		placed.at(child.line, child.col)
		return &placed, nil
	}
	switch {
	case n.kind == objectNode:
		i := slices.IndexFunc(n.fields, func(f field) bool { return f.key == step })
		switch {
		case e.Op == "remove" && last && i < 0:
			return nil, wrong("%w", ErrNotThere)
		case e.Op == "remove" && i < 0:
			return nil, wrong("%w: there is no %q", ErrNotThere, step)
		case e.Op == "move" && !last && i < 0:
			return nil, wrong("there is no %q", step)
		case e.Op == "move" && last:
			return nil, e.immovable()
		case e.Op == "remove" && last:
			out.fields, out.index = nil, nil
			for j, f := range n.fields {
				if j != i {
					out.put(f)
				}
			}
			return &out, nil
		case i < 0:
			child, err := into(&node{kind: objectNode, line: n.line, col: n.col})
			if err != nil {
				return nil, err
			}
			out.fields, out.index = nil, nil
			for _, f := range n.fields {
				out.put(f)
			}
			out.put(field{step, n.line, n.col, child})
			return &out, nil
		}
		child, err := into(n.fields[i].value)
		if err != nil {
			return nil, err
		}
		out.fields = slices.Clone(n.fields)
		out.fields[i].value = child
		return &out, nil
	case n.kind == listNode && last && step == "-" && e.Op == "add":
		placed := *value
		placed.at(n.line, n.col)
		out.items = append(slices.Clone(n.items), &placed)
		return &out, nil
	case n.kind == listNode && last && e.Op == "move":
		from, err := e.from()
		if err != nil {
			return nil, err
		}
		var ok bool
		if out.items, ok = moved(n.items, true, from, step); !ok {
			return nil, e.immovable()
		}
		return &out, nil
	case n.kind == listNode:
		i, err := strconv.Atoi(step)
		there := err == nil && i >= 0 && i < len(n.items)
		switch {
		case !there && last && e.Op == "remove":
			return nil, wrong("%w", ErrNotThere)
		case !there && e.Op == "remove":
			return nil, wrong("%w: there is no entry %q; the list has %d", ErrNotThere, step, len(n.items))
		case !there:
			return nil, wrong("there is no entry %q; the list has %d", step, len(n.items))
		case last && e.Op == "remove":
			out.items = slices.Delete(slices.Clone(n.items), i, i+1)
			return &out, nil
		}
		child, err := into(n.items[i])
		if err != nil {
			return nil, err
		}
		out.items = slices.Clone(n.items)
		out.items[i] = child
		return &out, nil
	case last && e.Op == "remove":
		return nil, wrong("%w", ErrNotThere)
	case e.Op == "remove":
		return nil, wrong("%w: %q is inside a single value", ErrNotThere, step)
	}
	return nil, wrong("%q is inside a single value", step)
}

// at gives a tree that nobody wrote a place, and all within it the same.
func (n *node) at(line, col int) {
	n.line, n.col = line, col
	n.fields, n.items = slices.Clone(n.fields), slices.Clone(n.items)
	for i := range n.fields {
		f := &n.fields[i]
		child := *f.value
		child.at(line, col)
		f.line, f.col, f.value = line, col, &child
	}
	for i := range n.items {
		child := *n.items[i]
		child.at(line, col)
		n.items[i] = &child
	}
}
