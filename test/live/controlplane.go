// Package live tries preflights, rehearsals and the access kit on clusters: on the
// stand-in that ships with the program, and on a real API server, scheduler and
// controller manager where they were built (make test-cluster).
package live

import (
	"os"
	"strings"
	"testing"

	"tachyphor/test/controlplane"
)

// binaries is the variable that names the folder of the control plane's programs.
const binaries = "TACHYPHOR_CLUSTER"

// controlPlane starts a real control plane on loopback, without any kubelet, and
// returns the path of a kubeconfig for it.
func controlPlane(t *testing.T) string {
	t.Helper()
	dir := os.Getenv(binaries)
	if dir == "" {
		t.Skip("no real control plane: `make test-cluster` builds one and runs this on it")
	}
	if missing := controlplane.Missing(dir, controlplane.Programs...); len(missing) > 0 {
		t.Fatalf("%s=%s has no %s", binaries, dir, strings.Join(missing, ", "))
	}
	p, err := controlplane.Start(controlplane.Options{Bin: dir, Dir: t.TempDir(), Controllers: []string{
		"serviceaccount-controller", "serviceaccount-token-controller", "root-ca-certificate-publisher-controller",
		"resourcequota-controller", "namespace-controller", "garbage-collector-controller", "job-controller", "ttl-after-finished-controller",
		"daemonset-controller", "deployment-controller", "replicaset-controller", "statefulset-controller",
	}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if said := p.Close(); t.Failed() {
			t.Log(said)
		}
	})
	path, err := p.Kubeconfig("admin.yaml", controlplane.Admin)
	if err != nil {
		t.Fatal(err)
	}
	return path
}
