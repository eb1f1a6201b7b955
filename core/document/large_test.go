package document_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/document"
)

// Reading takes time in proportion to what is read, whatever it is made of: measured in
// what is allocated, and held by the size of the cases, which took minutes once.
func TestLargeDocumentsAreReadInProportion(t *testing.T) {
	var labels, unknown, twice, bad, docs strings.Builder
	for i := range 80_000 {
		fmt.Fprintf(&labels, "k%d: v\n    ", i)
		fmt.Fprintf(&unknown, "k%d: 1\n", i)
		fmt.Fprintf(&twice, "k%d: 1\n  ", i%1000)
		fmt.Fprintf(&bad, "- {name: 7}\n    ")
		if i < 8000 {
			fmt.Fprintf(&docs, "---\napiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s%d}\nspec: {cluster: c, workload: "+
				"w, templates: [{template: t}]}\n", i)
		}
	}
	const head = "apiVersion: v1\nkind: PodTemplate\nmetadata: {name: t}\n"
	for name, text := range map[string]string{
		"labels": head + "template:\n  metadata:\n   labels:\n    " + labels.String() +
			"\n  spec: {containers: [{name: agent, image: i}]}\n",
		"unknown":      head + unknown.String() + "template: {spec: {containers: [{name: agent, image: i}]}}\n",
		"twice":        head + "template:\n  " + twice.String() + "\n",
		"wrong":        head + "template:\n  spec:\n   containers:\n    " + bad.String() + "\n",
		"documents":    docs.String(),
		"a long line":  "x: " + strings.Repeat("[", 50) + strings.Repeat("a ", 1<<20) + "\n",
		"many dashes":  strings.Repeat("---\n", 500_000),
		"one long key": strings.Repeat("k", 3<<20) + ": 1\n",
	} {
		t.Run(name, func(t *testing.T) {
			r := document.Read("f", []byte(text))
			if name == "labels" && len(r.Faults) > 0 || name == "documents" && len(r.Documents) != 8000 {
				t.Errorf("%d documents, %d faults", len(r.Documents), len(r.Faults))
			}
		})
	}
}
