package kube_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/test/ways"
)

// What real nodes did (make test-nodes RECORD=1) is explained as it was on them.
func TestWhatRealNodesDid(t *testing.T) {
	dir := filepath.Join("testdata", "real")
	files, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	there := map[string]bool{}
	for _, f := range files {
		there[strings.TrimSuffix(f.Name(), ".jsonl")] = true
	}
	for _, w := range ways.All() {
		if w.Refused {
			continue
		}
		moves, last, err := ways.Read(filepath.Join(dir, w.Name+".jsonl"))
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Holds(moves, last); err != nil {
			t.Error(err)
		}
		delete(there, w.Name)
	}
	for name := range there {
		if name != "lost-node" {
			t.Errorf("%s is of no way", name)
		}
	}
}
