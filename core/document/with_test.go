package document_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
)

// demoDocuments are all documents of the demo world.
func demoDocuments(t *testing.T) []*document.Document {
	t.Helper()
	var out []*document.Document
	for _, pattern := range []string{"../../demo/*.yaml", "../../demo/scenarios/*.yaml", "../../demo/templates/*.yaml"} {
		files, err := filepath.Glob(pattern)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			text, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			docs, faults := document.Parse(f, text)
			if len(faults) > 0 {
				t.Fatal(faults)
			}
			out = append(out, docs...)
		}
	}
	if len(out) < 8 {
		t.Fatalf("%d documents", len(out))
	}
	return out
}

// What With gives is what Apply and Parse give, for edits of every kind, good and bad, of
// one document after the other; the document itself stays as it was.
func TestWithIsApplyAndParse(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	values := []any{
		3.0, 0.25, 12, "7m", "40", "", true, nil,
		[]any{},
		[]any{"fast", 2.0},
		map[string]any{"min": 2.0, "max": 5.0},
		map[string]any{},
		-1, 1e9, uint64(1) << 63, "x: y",
	}
	good, bad, no := 0, 0, 0
	for _, d := range demoDocuments(t) {
		digest := d.Digest
		places := []string{
			"/spec/run/seed", "/spec/run/repeats", "/spec/templates/0/agents/ceiling", "/spec/templates/0/agents/spare", "/spec/templates/-",
			"/spec/templates/9/agents",
			"/spec/nodes/growth/shrinkAfter", "/spec/nodes/pools/lean/max", "/spec/caching", "/spec/caching/0", "/spec/quota/pods",
			"/spec/pools/0/max", "/spec/pools/0/boot", "/spec/pools/1",
			"/spec/nodeTypes/0/price", "/spec/classes/0/retries", "/spec/classes/0/work", "/spec/classes/0/workspace/changeRate", "/spec/jobs",
			"/metadata/name", "/metadata/labels/a~1b",
			"/metadata/annotations", "/template/spec/containers/0/resources/requests/cpu", "/template/spec/containers/0/image",
			"/template/spec/nodeSelector/x", "/nothing/at/all", "spec", "",
		}
		for range 150 {
			edits := make([]document.Edit, 1+r.IntN(3))
			for i := range edits {
				edits[i] = document.Edit{
					Op: pick("replace", "replace", "add", "remove", "move"), Path: places[r.IntN(len(places))],
					Value: values[r.IntN(len(values))],
				}
			}
			got, faults, err := d.With(edits)
			text, wantErr := document.Apply(d.Text, edits)
			if (err == nil) != (wantErr == nil) || err != nil && err.Error() != wantErr.Error() {
				t.Fatalf("%s %+v: error %v, not %v", d.Name, edits, err, wantErr)
			}
			if err != nil {
				no++
				continue
			}
			want, wantFaults := document.Parse(d.File, []byte(text))
			if said(faults) != said(wantFaults) {
				t.Fatalf("%s %+v: faults\n%snot\n%s", d.Name, edits, said(faults), said(wantFaults))
			}
			if len(faults) > 0 {
				bad++
				continue
			}
			good++
			if got.Digest != want[0].Digest || got.Kind != want[0].Kind || got.Name != want[0].Name || !reflect.DeepEqual(got.Value, want[0].Value) {
				t.Fatalf("%s %+v:\n%+v\nnot\n%+v", d.Name, edits, got, want[0])
			}
		}
		if again, faults := document.Parse(d.File, []byte(d.Text)); len(faults) > 0 || again[0].Digest != digest ||
			!reflect.DeepEqual(again[0].Value, d.Value) {
			t.Errorf("%s has changed", d.Name)
		}
	}
	t.Logf("%d good, %d with faults, %d impossible", good, bad, no)
	if good < 20 || bad < 100 || no < 100 {
		t.Errorf("%d good, %d with faults, %d impossible: too few of one", good, bad, no)
	}
}

// said writes faults without their places, which differ, and with them the order.
func said(list document.Faults) string {
	lines := make([]string, len(list))
	for i, f := range list {
		lines[i] = fmt.Sprintf("%s: %s, %s\n", f.Path, f.Found, f.Expected)
	}
	slices.Sort(lines)
	return strings.Join(lines, "")
}

// BenchmarkWith is what another number costs, beside writing and reading it.
func BenchmarkWith(b *testing.B) {
	text, err := os.ReadFile("../../demo/scenarios/weekday-lean.yaml")
	if err != nil {
		b.Skip(err)
	}
	docs, faults := document.Parse("", text)
	if len(faults) > 0 {
		b.Fatal(faults)
	}
	edits := []document.Edit{{Op: "replace", Path: "/spec/templates/0/agents/ceiling", Value: 31}}
	b.Run("with", func(b *testing.B) {
		for b.Loop() {
			if _, _, err := docs[0].With(edits); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("text", func(b *testing.B) {
		for b.Loop() {
			text, err := document.Apply(docs[0].Text, edits)
			if err != nil {
				b.Fatal(err)
			}
			if _, faults := document.Parse("", []byte(text)); len(faults) > 0 {
				b.Fatal(faults)
			}
		}
	})
}
