package kit

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/util/validation"
	"sigs.k8s.io/yaml"
)

// An object is one of Kubernetes with what is said of it. It is written from a value of
// Kubernetes' own types, so that whatever a name has in it stays a name.
type object struct {
	says  []string // lines above it
	value any      // nil: there are words alone
}

// written writes the objects of one file.
func written(list []object) (string, error) {
	var b strings.Builder
	part := false // an object has been written, and the next needs a line between
	for i, o := range list {
		last := !slices.ContainsFunc(list[i:], func(o object) bool { return o.value != nil })
		if part && !last {
			b.WriteString("---\n")
			part = false
		}
		for _, line := range o.says {
			b.WriteString(strings.TrimRight("# "+oneLine(line), " ") + "\n")
		}
		if o.value == nil {
			continue
		}
		text, err := yaml.Marshal(o.value)
		if err != nil {
			return "", err
		}
		b.Write(lean(text))
		part = true
	}
	return b.String(), nil
}

// lean leaves out what Kubernetes' types write though nobody said it.
func lean(text []byte) []byte {
	var out []byte
	for line := range strings.Lines(string(text)) {
		switch strings.TrimRight(line, "\n") {
		case "  creationTimestamp: null", "status: {}", "spec: {}":
			continue
		}
		out = append(out, line...)
	}
	return out
}

// oneLine keeps a comment on its line.
func oneLine(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == '\u2028' || r == '\u2029' {
			return ' '
		}
		return r
	}, s)
}

// meta names an object.
func (f *facts) meta(name string) metav1.ObjectMeta {
	return metav1.ObjectMeta{Name: name, Namespace: f.Namespace}
}

// label and subdomain refuse what Kubernetes does not take as a name.
func label(what, name string) error {
	if wrong := validation.IsDNS1123Label(name); len(wrong) > 0 {
		return fmt.Errorf("%s %q is not a name that Kubernetes accepts: small letters, digits and dashes, at most 63", what, name)
	}
	return nil
}

func subdomain(what, name string) error {
	if wrong := validation.IsDNS1123Subdomain(name); len(wrong) > 0 {
		return fmt.Errorf("%s %q is not a name that Kubernetes accepts: small letters, digits, dashes and dots, at most 253", what, name)
	}
	return nil
}
