package api

import (
	"flag"
	"os"
	"testing"
)

var update = flag.Bool("update", false, "write docs/roles.md")

// Every operation has a role and every role an operation, and the page of them is current.
func TestRolesPageIsCurrent(t *testing.T) {
	ops := summaries() // panics where an operation has no role
	for name := range needs {
		if ops[name] == "" {
			t.Errorf("a role is named for %s, which is no operation", name)
		}
	}
	const page = "../../docs/roles.md"
	if *update {
		if err := os.WriteFile(page, []byte(Roles()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if b, err := os.ReadFile(page); err != nil || string(b) != Roles() {
		t.Errorf("docs/roles.md is not what the table says (%v); run go test -tags nomsgpack ./internal/api -run RolesPage -update", err)
	}
}
