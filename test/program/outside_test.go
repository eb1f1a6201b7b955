package program

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/test/running"
)

// The key of a controller outside the cluster: made, in a file that only its owner can read, tried, renewed, one
// that lasts told for what it is, and all of them ended.
func TestOutside(t *testing.T) {
	t.Parallel()
	state, dir := t.TempDir(), t.TempDir()
	config, key := filepath.Join(dir, "cluster.yaml"), filepath.Join(dir, "key.yaml")
	running.Cluster(t, config, 40)
	outside := func(args string) ran {
		return command(t, state, append([]string{"outside", "--kubeconfig", config}, strings.Fields(args)...)...)
	}
	template := filepath.Join(demoFolder, "templates", "compile-wide.yaml")
	preflight := func() ran {
		return command(t, state, "preflight", template, "--with", filepath.Join(demoFolder, "cluster.yaml"), "--kubeconfig", key)
	}
	r := outside(template + " --lasts 2h --into " + key)
	if r.status != 0 || !strings.Contains(r.out, "the key of who makes agents in slipway") || !strings.Contains(r.out, "Renew it before that") {
		t.Fatalf("%+v", r)
	}
	if info, err := os.Stat(key); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", err, info.Mode())
	}
	first, err := os.ReadFile(key)
	if err != nil || !strings.Contains(string(first), "certificate-authority-data: ") || !strings.Contains(string(first), "namespace: slipway") {
		t.Errorf("%v\n%s", err, first)
	}
	if r := preflight(); !strings.Contains(r.out, "token of slipway:agent-maker") || !strings.Contains(r.out, "good until") ||
		!strings.Contains(r.out, "0 failed") {
		t.Errorf("%+v", r)
	}
	if r := outside("slipway --lasting --into " + key); r.status != 0 || !strings.Contains(r.out, "Whoever reads it once") {
		t.Errorf("%+v", r)
	}
	if r := preflight(); !strings.Contains(r.out, "it never ends by itself") {
		t.Errorf("%+v", r)
	}
	if r := outside("slipway --end"); r.status != 0 || strings.Count(r.out, "ended: Secret") != 2 {
		t.Errorf("%+v", r)
	}
	if r := preflight(); r.status != 1 || !strings.Contains(r.out, "does not know who asks") {
		t.Errorf("%+v", r)
	}
	if r := outside("slipway --end"); r.status != 0 || !strings.Contains(r.out, "There is no key") {
		t.Errorf("%+v", r)
	}
	for args, says := range map[string]string{
		"slipway": "--into FILE", "slipway --end --lasting": "--end goes with none", "slipway --lasting --lasts 1h --into x": "not both",
		"slipway --lasts 5s --into " + key: "a token is good for", "nowhere --into " + key: "no service account agent-maker",
		"slipway --address http://10.0.0.1 --into " + key: "anything but https", "slipway --into " + filepath.Join(dir, "no", "key"): "no such file",
	} {
		if r := outside(args); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%s: %+v", args, r)
		}
	}
	if got, err := os.ReadFile(key); err != nil || string(got) == string(first) {
		t.Errorf("%v", err)
	}
}
