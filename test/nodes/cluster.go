//go:build linux

package nodes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"tachyphor/internal/child"
	"tachyphor/test/controlplane"

	"golang.org/x/sys/unix"
	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/tools/clientcmd"
)

// A rack is a cluster with real nodes.
type rack struct {
	once  sync.Once
	err   error
	bin   string
	dir   string
	plane *controlplane.Plane

	Config string // kubeconfig of who may do all
	Client kubernetes.Interface

	mu    sync.Mutex
	nodes map[int]*exec.Cmd
}

// theRack is started by the first test that wants it, and used by all.
var theRack = &rack{nodes: map[int]*exec.Cmd{}}

// Rack returns the cluster with so many nodes at least, or skips the test with the reason why there
// is none.
func Rack(t testing.TB, count int) *rack {
	t.Helper()
	if reason := cannot(); reason != "" {
		t.Skip(reason)
	}
	r := theRack
	r.once.Do(func() { r.err = r.start() })
	if r.err != nil {
		t.Fatal(r.err)
	}
	for i := 1; i <= count; i++ {
		if err := r.Boot(i); err != nil {
			t.Fatal(err)
		}
	}
	return r
}

func (r *rack) start() (err error) {
	r.bin = os.Getenv(binaries)
	if r.dir, err = os.MkdirTemp("", os.Getenv(inside)+"-"); err != nil {
		return err
	}
	for _, l := range []string{"link add rack type bridge", "addr add " + Host + "/24 dev rack", "link set rack up"} {
		if err := ip(l); err != nil {
			return err
		}
	}
	var names []string
	for i := 1; i <= mostNodes; i++ {
		names = append(names, nameOf(i))
		if err := ip(fmt.Sprintf("route add 10.78.%d.0/24 via 10.77.0.%d dev rack", i, 10+i)); err != nil {
			return err
		}
	}
	plane := filepath.Join(r.dir, "plane")
	images := filepath.Join(r.dir, "images")
	if err := errors.Join(os.MkdirAll(plane, 0o700), os.MkdirAll(images, 0o700)); err != nil {
		return err
	}
	if out, err := exec.Command(filepath.Join(r.bin, "depot"), "tar", filepath.Join(images, "pause.tar"), "rack.example/pause:1",
		"/pause="+filepath.Join(r.bin, "pause")).CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	if r.plane, err = controlplane.Start(controlplane.Options{Bin: r.bin, Dir: plane, Host: Host, Nodes: names}); err != nil {
		return err
	}
	if err := r.plane.Run(filepath.Join(r.bin, "depot"), "serve", Host+":5000"); err != nil {
		return err
	}
	if r.Config, err = r.plane.Kubeconfig("admin.yaml", controlplane.Admin); err != nil {
		return err
	}
	config, err := clientcmd.BuildConfigFromFlags("", r.Config)
	if err != nil {
		return err
	}
	config.QPS, config.Burst = 200, 400
	r.Client, err = kubernetes.NewForConfig(config)
	return err
}

func nameOf(i int) string { return fmt.Sprintf("real-%d", i) }

// Boot starts a node that does not run, and waits until it is ready.
func (r *rack) Boot(i int) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.nodes[i] != nil {
		return nil
	}
	n := node{Name: nameOf(i), Number: i, Bin: r.bin, Dir: filepath.Join(r.dir, nameOf(i)), Groups: os.Getenv(inside) + "/" + nameOf(i)}
	if err := os.MkdirAll(n.Dir, 0o755); err != nil {
		return err
	}
	var err error
	if n.Config, err = r.plane.Kubeconfig(n.Name+".yaml", controlplane.TokenOf(n.Name)); err != nil {
		return err
	}
	if err := errors.Join(makeGroup(os.Getenv(inside)), makeGroup(n.Groups)); err != nil {
		return err
	}
	text, err := json.Marshal(n)
	if err != nil {
		return err
	}
	log, err := os.Create(filepath.Join(n.Dir, "node.log"))
	if err != nil {
		return err
	}
	defer func() { _ = log.Close() }()
	cmd := exec.Command("/proc/self/exe")
	cmd.Env = append(os.Environ(), nodeOf+"="+string(text))
	cmd.Stdout, cmd.Stderr = log, log
	cmd.SysProcAttr = &syscall.SysProcAttr{
		Cloneflags: unix.CLONE_NEWNET | unix.CLONE_NEWNS | unix.CLONE_NEWPID | unix.CLONE_NEWIPC | unix.CLONE_NEWUTS,
	}
	wait, err := child.Start(cmd)
	if err != nil {
		return err
	}
	go func() { _ = wait() }()
	r.nodes[i] = cmd
	for _, l := range []string{
		fmt.Sprintf("link add rack%d type veth peer name eth0 netns %d", i, cmd.Process.Pid), fmt.Sprintf("link set rack%d master rack up", i),
	} {
		if err := ip(l); err != nil {
			return err
		}
	}
	for deadline := time.Now().Add(2 * time.Minute); time.Now().Before(deadline); time.Sleep(200 * time.Millisecond) {
		x, err := r.Client.CoreV1().Nodes().Get(context.Background(), n.Name, metav1.GetOptions{})
		if err != nil {
			continue
		}
		for _, c := range x.Status.Conditions {
			if c.Type == corev1.NodeReady && c.Status == corev1.ConditionTrue {
				return nil
			}
		}
	}
	return fmt.Errorf("node %s is not ready:\n%s", n.Name, r.said(i))
}

// Kill ends a node as a cut cable and a switched-off machine do: at once, with all that runs there.
func (r *rack) Kill(i int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if cmd := r.nodes[i]; cmd != nil {
		_ = cmd.Process.Kill()
		delete(r.nodes, i)
		_ = ip(fmt.Sprintf("link del rack%d", i))
	}
}

// said is the end of what a node's programs said.
func (r *rack) said(i int) string {
	var out strings.Builder
	for _, name := range []string{"node.log", "containerd.log", "kubelet.log"} {
		b, _ := os.ReadFile(filepath.Join(r.dir, nameOf(i), name))
		fmt.Fprintf(&out, "%s:\n%s\n", name, b[max(0, len(b)-3000):])
	}
	return out.String()
}

// Push puts an image into the registry: a shell with its usual tools, and megabytes that cannot be
// compressed in some layers. name is without the host.
func (r *rack) Push(t testing.TB, name string, mb, layers int, files ...string) {
	t.Helper()
	if len(files) == 0 {
		files = []string{"/bin/busybox=" + filepath.Join(r.bin, "pkg/bin/busybox")}
		for _, tool := range []string{
			"sh", "sleep", "echo", "cat", "ls", "dd", "yes", "ps", "id", "date", "env", "kill", "wget", "seq", "true", "false", "hostname", "head",
			"tail", "tar", "test", "timeout", "nc", "tr", "wc", "mkdir", "rm", "pwd",
		} {
			files = append(files, "/bin/"+tool+"=>busybox")
		}
	}
	args := append([]string{"push", "-mb", fmt.Sprint(mb), "-layers", fmt.Sprint(layers), Host + ":5000/" + name}, files...)
	if out, err := exec.Command(filepath.Join(r.bin, "depot"), args...).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
}

// Rate has the registry send so many bytes a second to all who pull together; 0: as fast as it can.
func (r *rack) Rate(t testing.TB, bytes int) {
	t.Helper()
	q, err := http.NewRequestWithContext(context.Background(), http.MethodPost, fmt.Sprintf("http://%s:5000/rate?bytes=%d", Host, bytes), nil)
	if err != nil {
		t.Fatal(err)
	}
	a, err := http.DefaultClient.Do(q)
	if err != nil {
		t.Fatal(err)
	}
	if err := a.Body.Close(); err != nil || a.StatusCode != http.StatusOK {
		t.Fatal(a.Status, err)
	}
}

// close ends all.
func (r *rack) close(failed bool) {
	if r.plane == nil {
		return
	}
	if failed {
		for i := range r.nodes {
			fmt.Fprintln(os.Stderr, r.said(i))
		}
	}
	for i := 1; i <= mostNodes; i++ {
		r.Kill(i)
	}
	said := r.plane.Close()
	if failed {
		fmt.Fprintln(os.Stderr, said)
	}
	// A mount may last a moment longer than its node; the next run takes away what it keeps.
	if err := os.RemoveAll(r.dir); err != nil && !strings.Contains(err.Error(), "busy") {
		fmt.Fprintln(os.Stderr, "nodes:", err)
	}
}

// As writes a kubeconfig with which the owner acts in an account's name.
func (r *rack) As(t testing.TB, user, namespace string) string {
	t.Helper()
	c, err := clientcmd.LoadFromFile(r.Config)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range c.AuthInfos {
		a.Impersonate, a.ImpersonateGroups = user, []string{"system:serviceaccounts", "system:authenticated"}
	}
	for _, x := range c.Contexts {
		x.Namespace = namespace
	}
	path := filepath.Join(t.TempDir(), "as.yaml")
	if err := clientcmd.WriteToFile(*c, path); err != nil {
		t.Fatal(err)
	}
	return path
}
