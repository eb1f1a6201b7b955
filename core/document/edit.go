package document

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// An Edit changes one field of a document, as one operation of a JSON Patch (RFC
// 6902) does.
type Edit struct {
	Op    string `json:"op" enum:"add,replace,remove,move" doc:"add, replace, remove, or move: an entry of a list to another place in it."`
	Path  string `json:"path" doc:"JSON pointer (RFC 6901), as in /spec/templates/0/agents/spare."`
	From  string `json:"from,omitempty" doc:"For move: where the entry stands."`
	Value any    `json:"value,omitempty" doc:"New value, for add and replace."`
}

// ErrNotThere says that an edit is to remove what is not there.
var ErrNotThere = errors.New("there is nothing to remove")

// Apply makes edits in the text of one document and returns the new text.
// Comments and the order of fields stay. As a convenience, add and replace make
// the objects on the way that are not there.
func Apply(text string, edits []Edit) (string, error) {
	trees, faults := split("", []byte(text))
	if len(faults) > 0 {
		return "", faults
	}
	if len(trees) != 1 {
		return "", fmt.Errorf("%d documents in the text; expected one", len(trees))
	}
	for _, e := range edits {
		if err := apply(trees[0].Content[0], e); err != nil {
			return "", err
		}
	}
	return written(trees[0], looksLikeJSON([]byte(text))), nil
}

func apply(root *yaml.Node, e Edit) error {
	steps, err := e.steps()
	if err != nil {
		return err
	}
	value, err := e.encoded()
	if err != nil {
		return err
	}
	from, err := e.from()
	if err != nil {
		return err
	}
	at := root
	for _, s := range steps[:len(steps)-1] {
		next, err := child(at, s, e.Op == "add" || e.Op == "replace")
		if err != nil && e.Op == "remove" {
			return fmt.Errorf("path %q: %w: %w", e.Path, ErrNotThere, err)
		}
		if err != nil {
			return fmt.Errorf("path %q: %w", e.Path, err)
		}
		at = next
	}
	last := steps[len(steps)-1]
	switch e.Op {
	case "remove":
		return remove(at, last, e.Path)
	case "move":
		var ok bool
		if at.Content, ok = moved(at.Content, at.Kind == yaml.SequenceNode, from, last); !ok {
			return e.immovable()
		}
		return nil
	}
	return set(at, last, value, e)
}

// from is the place in its list of the entry that is to be moved, as written; empty for other edits.
func (e Edit) from() (string, error) {
	if e.Op != "move" {
		return "", nil
	}
	i, j := strings.LastIndexByte(e.From, '/'), strings.LastIndexByte(e.Path, '/')
	if i < 0 || i != j || e.From[:i] != e.Path[:j] {
		return "", fmt.Errorf("from %q: expected an entry of the list that %q is in", e.From, e.Path)
	}
	return e.From[i+1:], nil
}

// immovable says that there is no such entry, or no such place.
func (e Edit) immovable() error {
	return fmt.Errorf("path %q: expected a place in a list, and an entry of it in from %q", e.Path, e.From)
}

// moved returns a list in which an entry stands at another place, both as written in a path.
func moved[T any](list []T, isList bool, from, to string) ([]T, bool) {
	i, err1 := strconv.Atoi(from)
	j, err2 := strconv.Atoi(to)
	if !isList || err1 != nil || err2 != nil || min(i, j) < 0 || max(i, j) >= len(list) {
		return list, false
	}
	entry := list[i]
	return slices.Insert(slices.Delete(slices.Clone(list), i, i+1), j, entry), true
}

// steps are the keys that lead to the edit's place.
func (e Edit) steps() ([]string, error) {
	if !strings.HasPrefix(e.Path, "/") {
		return nil, fmt.Errorf("path %q: expected a JSON pointer such as /spec/run/seed", e.Path)
	}
	return Steps(e.Path[1:]), nil
}

// Steps parts a way down a document, as in spec/run/seed, whose steps are written as those of
// a JSON pointer.
func Steps(way string) []string {
	steps := strings.Split(way, "/")
	for i, s := range steps {
		steps[i] = strings.NewReplacer("~1", "/", "~0", "~").Replace(s)
	}
	return steps
}

// whole returns a value out of JSON in which whole numbers are such, and not in powers of
// ten.
func whole(v any) any {
	switch x := v.(type) {
	case float64:
		if x == math.Trunc(x) && math.Abs(x) < 1<<53 {
			return int64(x)
		}
	case []any:
		out := make([]any, len(x))
		for i := range x {
			out[i] = whole(x[i])
		}
		return out
	case map[string]any:
		out := make(map[string]any, len(x))
		for k := range x {
			out[k] = whole(x[k])
		}
		return out
	}
	return v
}

func set(at *yaml.Node, key string, value *yaml.Node, e Edit) error {
	if at.Kind == yaml.SequenceNode && key == "-" && e.Op == "add" {
		at.Content = append(at.Content, value)
		return nil
	}
	old, err := child(at, key, true)
	if err != nil {
		return fmt.Errorf("path %q: %w", e.Path, err)
	}
	if quotes := yaml.DoubleQuotedStyle | yaml.SingleQuotedStyle; value.Kind == old.Kind && value.Tag == "!!str" &&
		value.Style&quotes != 0 && old.Style&quotes != 0 {
		value.Style = old.Style // the quotes of its author
	}
	value.HeadComment, value.LineComment, value.FootComment = old.HeadComment, old.LineComment, old.FootComment
	*old = *value
	return nil
}

// child returns the value under a step; makeIt adds an empty object where an
// object lacks it.
func child(at *yaml.Node, step string, makeIt bool) (*yaml.Node, error) {
	switch at.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(at.Content); i += 2 {
			if at.Content[i].Value == step {
				return at.Content[i+1], nil
			}
		}
		if !makeIt {
			return nil, fmt.Errorf("there is no %q", step)
		}
		made := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Style: at.Style}
		at.Content = append(at.Content, &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: step}, made)
		return made, nil
	case yaml.SequenceNode:
		i, err := strconv.Atoi(step)
		if err != nil || i < 0 || i >= len(at.Content) {
			return nil, fmt.Errorf("there is no entry %q; the list has %d", step, len(at.Content))
		}
		return at.Content[i], nil
	default:
		return nil, fmt.Errorf("%q is inside a single value", step)
	}
}

func remove(at *yaml.Node, key, path string) error {
	switch at.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(at.Content); i += 2 {
			if at.Content[i].Value == key {
				at.Content = append(at.Content[:i], at.Content[i+2:]...)
				return nil
			}
		}
	case yaml.SequenceNode:
		if i, err := strconv.Atoi(key); err == nil && i >= 0 && i < len(at.Content) {
			at.Content = append(at.Content[:i], at.Content[i+1:]...)
			return nil
		}
	}
	return fmt.Errorf("path %q: %w", path, ErrNotThere)
}
