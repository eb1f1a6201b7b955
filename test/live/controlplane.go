// Package live tries preflights, rehearsals and the access kit on clusters: on the
// stand-in that ships with the program, and on a real API server, scheduler and
// controller manager where they were built (make test-cluster).
package live

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"syscall"
	"testing"
	"time"

	"k8s.io/client-go/tools/clientcmd"
	clientcmdapi "k8s.io/client-go/tools/clientcmd/api"
)

// binaries is the variable that names the folder of the control plane's programs.
const binaries = "TACHYPHOR_CLUSTER"

// built returns that folder, or skips the test with a word on how to get it.
func built(t *testing.T) string {
	t.Helper()
	dir := os.Getenv(binaries)
	if dir == "" {
		t.Skip("no real control plane: `make test-cluster` builds one and runs this on it")
	}
	for _, name := range []string{"etcd", "kube-apiserver", "kube-controller-manager", "kube-scheduler"} {
		if _, err := os.Stat(filepath.Join(dir, name)); err != nil {
			t.Fatalf("%s=%s has no %s", binaries, dir, name)
		}
	}
	return dir
}

func freePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

// controlPlane starts a real control plane on loopback, without any kubelet, and
// returns the path of a kubeconfig for it.
func controlPlane(t *testing.T) string {
	t.Helper()
	bin, dir := built(t), t.TempDir()
	run := func(name string, args ...string) {
		var said bytes.Buffer
		cmd := exec.Command(filepath.Join(bin, name), args...)
		cmd.Stdout, cmd.Stderr, cmd.Dir = &said, &said, dir
		cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
		// What ends it with this process goes by the thread that began it: that one stays.
		begun, ended := make(chan error), make(chan struct{})
		go func() {
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			defer close(ended)
			err := cmd.Start()
			if begun <- err; err == nil {
				_ = cmd.Wait()
			}
		}()
		if err := <-begun; err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() {
			_ = cmd.Process.Kill()
			<-ended
			if t.Failed() {
				b := said.Bytes()
				t.Logf("%s:\n%s", name, b[max(0, len(b)-3000):])
			}
		})
	}
	etcd, peer, api := freePort(t), freePort(t), freePort(t)
	client := "http://127.0.0.1:" + strconv.Itoa(etcd)
	run("etcd", "--data-dir="+filepath.Join(dir, "etcd"), "--listen-client-urls="+client, "--advertise-client-urls="+client,
		fmt.Sprintf("--listen-peer-urls=http://127.0.0.1:%d", peer), "--unsafe-no-fsync", "--log-level=error")
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	write := func(name string, b []byte) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	private := write("sa.key", pem.EncodeToMemory(&pem.Block{Type: "RSA PRIVATE KEY", Bytes: x509.MarshalPKCS1PrivateKey(key)}))
	tokens := write("tokens.csv", []byte("tok,admin,admin,\"system:masters\"\nsched,system:kube-scheduler,scheduler\nman,system:kube-controller-manager,manager\n"))
	run("kube-apiserver", "--etcd-servers="+client, "--bind-address=127.0.0.1", "--secure-port="+strconv.Itoa(api),
		"--cert-dir="+filepath.Join(dir, "certs"),
		"--token-auth-file="+tokens, "--authorization-mode=RBAC", "--service-account-issuer=https://kubernetes.default.svc",
		"--service-account-key-file="+private, "--service-account-signing-key-file="+private, "--service-cluster-ip-range=10.0.0.0/24")
	ca := filepath.Join(dir, "certs", "apiserver.crt")
	server := "https://127.0.0.1:" + strconv.Itoa(api)
	config := func(name, token string) string {
		c := clientcmdapi.NewConfig()
		c.Clusters["real"] = &clientcmdapi.Cluster{Server: server, InsecureSkipTLSVerify: true}
		c.AuthInfos["real"] = &clientcmdapi.AuthInfo{Token: token}
		c.Contexts["real"] = &clientcmdapi.Context{Cluster: "real", AuthInfo: "real"}
		c.CurrentContext = "real"
		b, err := clientcmd.Write(*c)
		if err != nil {
			t.Fatal(err)
		}
		return write(name, b)
	}
	admin := config("admin.yaml", "tok")
	ready(t, server)
	run("kube-controller-manager", "--kubeconfig="+config("manager.yaml", "man"), "--use-service-account-credentials=true",
		"--service-account-private-key-file="+private,
		"--root-ca-file="+ca, "--leader-elect=false", "--secure-port=0",
		"--controllers=serviceaccount-controller,serviceaccount-token-controller,root-ca-certificate-publisher-controller,resourcequota-controller,namespace-controller,garbage-collector-controller,job-controller,ttl-after-finished-controller")
	run("kube-scheduler", "--kubeconfig="+config("scheduler.yaml", "sched"), "--leader-elect=false", "--secure-port=0")
	return admin
}

// ready waits until the API server answers.
func ready(t *testing.T, server string) {
	t.Helper()
	c := &http.Client{Timeout: 2 * time.Second, Transport: insecure()}
	for deadline := time.Now().Add(60 * time.Second); time.Now().Before(deadline); {
		q, err := http.NewRequestWithContext(context.Background(), http.MethodGet, server+"/readyz", nil)
		if err != nil {
			t.Fatal(err)
		}
		q.Header.Set("Authorization", "Bearer tok")
		if a, err := c.Do(q); err == nil {
			_ = a.Body.Close()
			if a.StatusCode == http.StatusOK {
				return
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatal("the API server is not ready")
}
