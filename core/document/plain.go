package document

import "encoding/json"

// Plain is a value of a document as edits have it: what its JSON says, without empty objects.
// It is nil if the value has no JSON.
func Plain(v any) any {
	b, err := json.Marshal(v)
	if err != nil {
		return nil
	}
	var out any
	if json.Unmarshal(b, &out) != nil {
		return nil
	}
	return pruned(out)
}

func pruned(v any) any {
	switch x := v.(type) {
	case map[string]any:
		for k, y := range x {
			y = pruned(y)
			if m, ok := y.(map[string]any); ok && len(m) == 0 {
				delete(x, k)
				continue
			}
			x[k] = y
		}
	case []any:
		for i := range x {
			x[i] = pruned(x[i])
		}
	}
	return v
}
