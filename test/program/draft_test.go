package program

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A first template from flags or from answers, without a service: what is written is found sound, and what
// is missing or wrong is told all at once, by flag.
func TestDraft(t *testing.T) {
	t.Parallel()
	dir, state := t.TempDir(), t.TempDir()
	file := filepath.Join(dir, "small-steady.yaml")
	flags := []string{
		"draft", "--namespace", "slipway", "--controller", "http://dispatch.slipway.svc:8080", "--name", "small-steady", "--offers", "linux,go",
		"--takes", "named", "--image", "images.brinewell.example/agents/steady:2026.9", "--cpu", "2", "--memory", "4Gi", "--workspace", "8Gi",
	}
	written := command(t, state, append(flags, "--write", file)...)
	if written.status != 0 || !strings.Contains(written.err, "tachyphor check "+file) {
		t.Fatalf("%+v", written)
	}
	if r := command(t, state, "check", file); r.status != 0 || !strings.Contains(r.out, "1 template: nothing to say.") {
		t.Errorf("%+v", r)
	}
	before, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, append(flags, "--write", file)...); r.status != 1 || !strings.Contains(r.err, "already exists") {
		t.Errorf("%+v", r)
	}
	if shown := command(t, state, flags...); shown.out != string(before) {
		t.Errorf("%+v", shown)
	}
	// The same by answers, of which two are asked again.
	answers := "default\nslipway\nhttp://dispatch.slipway.svc:8080\n\nsmall-steady\nlinux, go\nnamed\nimages.brinewell.example/agents/steady:2026.9\n2\n4\n4Gi\n8Gi\n\n"
	if r := commandWith(t, state, answers, "draft", "--ask"); r.status != 0 || r.out != string(before) || strings.Count(r.err, "! ") != 2 {
		t.Errorf("%+v", r)
	}
	if r := commandWith(t, state, "slipway\n", "draft", "--ask", "--name", "x"); r.status != 1 || !strings.Contains(r.err, "the answers ended at controller") {
		t.Errorf("%+v", r)
	}
	r := command(t, state, "draft", "--name", "A B", "--cpu", "lots", "--memory", "4")
	if r.status != 1 || r.out != "" {
		t.Errorf("%+v", r)
	}
	for _, says := range []string{
		"--namespace: name a namespace", "--controller: write the address", "--name: choose a name", "--offers: list the words", "--image: name an image",
		`--cpu: "lots" is not an amount of CPU`, "--memory: say what a job needs at its peak, with its unit", "--workspace: say how much disk",
	} {
		if !strings.Contains(r.err, says) {
			t.Errorf("not %q: %s", says, r.err)
		}
	}
}
