package work

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/internal/kube"
)

// Clusters says which live clusters work may touch, and where.
type Clusters struct {
	kube.Options
	// Namespaces are those that pods may be made in; AnyNamespace among them: in all. None: in none.
	Namespaces []string
}

// AnyNamespace stands for all namespaces. It is for clusters that are pretended.
const AnyNamespace = "*"

// in says why no pod may be made in a namespace; nil: it may.
func (c Clusters) in(namespace string) error {
	switch {
	case slices.Contains(c.Namespaces, namespace), slices.Contains(c.Namespaces, AnyNamespace):
		return nil
	case len(c.Namespaces) == 0:
		return fmt.Errorf("this service makes no pods in any namespace; start it with --pods-in %s to allow it there", namespace)
	}
	return fmt.Errorf("this service makes no pods in namespace %s, but in %s; start it with --pods-in %s to allow it there", namespace,
		strings.Join(c.Namespaces, ", "), namespace)
}

// risks lists what a review finds risky about a template.
func risks(shelf *review.Shelf, d *document.Document) (out []string) {
	for _, f := range shelf.Check(d) {
		if f.Severity == review.Risky && !slices.Contains(out, f.ID) {
			out = append(out, f.ID)
		}
	}
	return out
}
