// Package controlplane starts a real Kubernetes control plane for tests: etcd, API server, scheduler
// and controller manager as processes of this machine, which end with the test.
package controlplane

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"k8s.io/client-go/tools/clientcmd"
	clientcmdapi "k8s.io/client-go/tools/clientcmd/api"

	"tachyphor/internal/child"
)

// Programs are what a control plane is made of.
var Programs = []string{"etcd", "kube-apiserver", "kube-controller-manager", "kube-scheduler"}

// Missing are those that a folder has not.
func Missing(dir string, programs ...string) (out []string) {
	for _, name := range programs {
		if _, err := os.Stat(filepath.Join(dir, name)); err != nil {
			out = append(out, name)
		}
	}
	return out
}

// Options say how a control plane is started.
type Options struct {
	Bin  string // folder of the programs
	Dir  string // of its own, which is empty
	Host string // address that it listens at; empty: 127.0.0.1
	// Controllers are those that run; none: all.
	Controllers []string
	// Nodes are the names of nodes that may come: they have tokens of their own.
	Nodes []string
}

// Plane is a control plane that runs.
type Plane struct {
	Server string // address of the API server
	o      Options
	mu     sync.Mutex
	ran    []*process
}

// process is a program that runs.
type process struct {
	name  string
	cmd   *exec.Cmd
	said  bytes.Buffer
	ended chan struct{}
}

// Admin is the token of who may do all.
const Admin = "tok"

// TokenOf is the token of a node.
func TokenOf(node string) string { return "node-" + node }

// Run starts a program beside the control plane; it ends with it, and with this process.
func (p *Plane) Run(name string, args ...string) error {
	x := &process{name: filepath.Base(name), cmd: exec.Command(name, args...), ended: make(chan struct{})}
	x.cmd.Stdout, x.cmd.Stderr, x.cmd.Dir = &x.said, &x.said, p.o.Dir
	wait, err := child.Start(x.cmd)
	if err != nil {
		return err
	}
	go func() {
		defer close(x.ended)
		_ = wait()
	}()
	p.mu.Lock()
	p.ran = append(p.ran, x)
	p.mu.Unlock()
	return nil
}

// Start starts a control plane and waits until it answers. What was started is ended where it fails.
func Start(o Options) (p *Plane, err error) {
	if o.Host == "" {
		o.Host = "127.0.0.1"
	}
	p = &Plane{o: o}
	defer func() {
		if err != nil {
			err = fmt.Errorf("%w\n%s", err, p.Close())
			p = nil
		}
	}()
	ports := make([]int, 3)
	for i := range ports {
		if ports[i], err = freePort(o.Host); err != nil {
			return p, err
		}
	}
	bin := func(name string) string { return filepath.Join(o.Bin, name) }
	file := func(name string) string { return filepath.Join(o.Dir, name) }
	client := "http://127.0.0.1:" + strconv.Itoa(ports[0])
	if err := p.Run(bin("etcd"), "--data-dir="+file("etcd"), "--listen-client-urls="+client, "--advertise-client-urls="+client,
		fmt.Sprintf("--listen-peer-urls=http://127.0.0.1:%d", ports[1]), "--unsafe-no-fsync", "--log-level=error"); err != nil {
		return p, err
	}
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return p, err
	}
	tokens := Admin + ",admin,admin,\"system:masters\"\nsched,system:kube-scheduler,scheduler\nman,system:kube-controller-manager,manager\n"
	for _, n := range o.Nodes {
		tokens += fmt.Sprintf("%s,system:node:%s,%s,\"system:nodes\"\n", TokenOf(n), n, n)
	}
	err = errors.Join(
		os.WriteFile(file("sa.key"), pem.EncodeToMemory(&pem.Block{Type: "RSA PRIVATE KEY", Bytes: x509.MarshalPKCS1PrivateKey(key)}), 0o600),
		os.WriteFile(file("tokens.csv"), []byte(tokens), 0o600),
	)
	if err != nil {
		return p, err
	}
	p.Server = "https://" + net.JoinHostPort(o.Host, strconv.Itoa(ports[2]))
	if err := p.Run(bin("kube-apiserver"), "--etcd-servers="+client, "--bind-address="+o.Host, "--advertise-address="+o.Host,
		"--secure-port="+strconv.Itoa(ports[2]), "--cert-dir="+file("certs"), "--token-auth-file="+file("tokens.csv"),
		"--authorization-mode=Node,RBAC", "--enable-admission-plugins=NodeRestriction", "--endpoint-reconciler-type=none",
		"--kubelet-preferred-address-types=InternalIP", "--allow-privileged=true",
		"--service-account-issuer=https://kubernetes.default.svc", "--service-account-key-file="+file("sa.key"),
		"--service-account-signing-key-file="+file("sa.key"), "--service-cluster-ip-range=10.0.0.0/24"); err != nil {
		return p, err
	}
	if err := p.ready(); err != nil {
		return p, err
	}
	manager, err := p.Kubeconfig("manager.yaml", "man")
	if err != nil {
		return p, err
	}
	controllers := "*"
	if len(o.Controllers) > 0 {
		controllers = strings.Join(o.Controllers, ",")
	}
	if err := p.Run(bin("kube-controller-manager"), "--kubeconfig="+manager, "--use-service-account-credentials=true",
		"--service-account-private-key-file="+file("sa.key"), "--root-ca-file="+file("certs/apiserver.crt"), "--leader-elect=false",
		"--secure-port=0", "--node-monitor-grace-period=20s", "--controllers="+controllers); err != nil {
		return p, err
	}
	scheduler, err := p.Kubeconfig("scheduler.yaml", "sched")
	if err != nil {
		return p, err
	}
	return p, p.Run(bin("kube-scheduler"), "--kubeconfig="+scheduler, "--leader-elect=false", "--secure-port=0")
}

// Kubeconfig writes a file with which a token is used, and returns its path.
func (p *Plane) Kubeconfig(name, token string) (string, error) {
	c := clientcmdapi.NewConfig()
	signer, err := os.ReadFile(filepath.Join(p.o.Dir, "certs", "apiserver.crt"))
	c.Clusters["real"] = &clientcmdapi.Cluster{Server: p.Server, CertificateAuthorityData: signer, InsecureSkipTLSVerify: err != nil}
	c.AuthInfos["real"] = &clientcmdapi.AuthInfo{Token: token}
	c.Contexts["real"] = &clientcmdapi.Context{Cluster: "real", AuthInfo: "real"}
	c.CurrentContext = "real"
	b, err := clientcmd.Write(*c)
	if err != nil {
		return "", err
	}
	path := filepath.Join(p.o.Dir, name)
	return path, os.WriteFile(path, b, 0o600)
}

// Close ends all and returns the end of what each program said.
func (p *Plane) Close() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var out strings.Builder
	for _, x := range slices.Backward(p.ran) {
		_ = x.cmd.Process.Kill()
		<-x.ended
		b := x.said.Bytes()
		fmt.Fprintf(&out, "%s:\n%s\n", x.name, b[max(0, len(b)-3000):])
	}
	p.ran = nil
	return out.String()
}

func freePort(host string) (int, error) {
	l, err := net.Listen("tcp", net.JoinHostPort(host, "0"))
	if err != nil {
		return 0, err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// ready waits until the API server answers.
func (p *Plane) ready() error {
	c := &http.Client{Timeout: 2 * time.Second, Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}}
	for deadline := time.Now().Add(90 * time.Second); time.Now().Before(deadline); time.Sleep(100 * time.Millisecond) {
		q, err := http.NewRequestWithContext(context.Background(), http.MethodGet, p.Server+"/readyz", nil)
		if err != nil {
			return err
		}
		q.Header.Set("Authorization", "Bearer "+Admin)
		if a, err := c.Do(q); err == nil {
			_ = a.Body.Close()
			if a.StatusCode == http.StatusOK {
				return nil
			}
		}
	}
	return errors.New("the API server is not ready")
}
