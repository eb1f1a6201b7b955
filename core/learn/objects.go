package learn

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"sigs.k8s.io/yaml"
)

// Objects gives the objects of Kubernetes that a file holds, those of lists one by one: JSON,
// several after one another, or YAML, in any encoding, packed or not. kind is that of the
// object or of its list, empty where neither says it; text is JSON. What give returns ends
// it.
func Objects(data []byte, give func(kind string, text []byte) error) error {
	data, _, err := unpacked(data, MostBytes)
	if err != nil {
		return err
	}
	if data, _, err = decoded(data, ""); err != nil {
		return err
	}
	text := bytes.TrimSpace(data)
	if len(text) == 0 {
		return errors.New("it is empty")
	}
	if text[0] == '{' {
		return objectsOf(text, "", 0, give)
	}
	for i, part := range bytes.Split(append([]byte("\n"), text...), []byte("\n---")) {
		if len(bytes.TrimSpace(part)) == 0 {
			continue
		}
		j, err := yaml.YAMLToJSON(part)
		if err != nil {
			return fmt.Errorf("document %d is not YAML: %w", i+1, err)
		}
		if j[0] != '{' {
			return fmt.Errorf("document %d is not a Kubernetes object; give what `kubectl get -o json` or `-o yaml` writes", i+1)
		}
		if err := objectsOf(j, "", 0, give); err != nil {
			return fmt.Errorf("document %d: %w", i+1, err)
		}
	}
	return nil
}

// mostWithin is how deep lists may be within lists.
const mostWithin = 3

// objectsOf gives the objects of JSON text, which are of a kind where they do not say theirs.
func objectsOf(text []byte, kind string, within int, give func(kind string, text []byte) error) error {
	if within > mostWithin {
		return errors.New("lists within lists within lists; give what `kubectl get -o json` writes")
	}
	d := json.NewDecoder(bytes.NewReader(text))
	for {
		var top struct {
			Kind  string            `json:"kind"`
			Items []json.RawMessage `json:"items"`
		}
		begin := d.InputOffset()
		err := d.Decode(&top)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("from byte %d on it is not a Kubernetes object in JSON: %w", begin, err)
		}
		if top.Kind == "" {
			top.Kind = kind
		}
		if top.Items == nil && !strings.HasSuffix(top.Kind, "List") {
			if err := give(top.Kind, text[begin:d.InputOffset()]); err != nil {
				return err
			}
			continue
		}
		of := strings.TrimSuffix(top.Kind, "List")
		for _, x := range top.Items {
			own := kindOf(x)
			switch {
			case strings.HasSuffix(own, "List"):
				err = objectsOf(x, "", within+1, give)
			case own != "":
				err = give(own, x)
			default:
				err = give(of, x)
			}
			if err != nil {
				return err
			}
		}
	}
}

// kindOf is the kind of an object of valid JSON, found without reading the rest of it.
func kindOf(text []byte) string {
	const key = `"kind"`
	depth := 0
	for i := 0; i < len(text); i++ {
		switch text[i] {
		case '{', '[':
			depth++
		case '}', ']':
			depth--
		case '"':
			end := i + 1
			for end < len(text) && text[end] != '"' {
				if text[end] == '\\' {
					end++
				}
				end++
			}
			if depth == 1 && string(text[i:min(end+1, len(text))]) == key {
				rest := bytes.TrimLeft(text[min(end+1, len(text)):], " \t\r\n:")
				if len(rest) > 1 && rest[0] == '"' {
					kind, _, _ := bytes.Cut(rest[1:], []byte{'"'})
					return string(kind)
				}
			}
			i = end
		}
	}
	return ""
}
