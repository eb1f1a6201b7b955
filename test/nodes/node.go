//go:build linux

package nodes

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// A node is what its first process needs to know.
type node struct {
	Name   string
	Number int
	Bin    string // folder of the programs
	Dir    string // of its own
	Config string // kubeconfig
	Groups string // its control group, under each hierarchy
}

// address is the node's.
func (n *node) address() string { return fmt.Sprintf("10.77.0.%d", 10+n.Number) }

// mostNodes is how many nodes there may be.
const mostNodes = 3

// Host is the address of the rack: control plane, registry and whatever tests serve.
const Host = "10.77.0.1"

// registries are the hosts of images that the rack's registry serves.
var registries = []string{Host + ":5000", "images.brinewell.example"}

// settings are those of the kernel that a kubelet insists on: the node sees them as files of its
// own, the machine's are left alone.
var settings = map[string]string{
	"vm/overcommit_memory": "1", "vm/panic_on_oom": "0", "kernel/panic": "10", "kernel/panic_on_oops": "1",
	"kernel/keys/root_maxkeys": "1000000", "kernel/keys/root_maxbytes": "25000000",
}

// beNode is the first process of a node: it makes its mounts and network, starts containerd and the
// kubelet, and takes in what ends. With it the node ends.
func beNode(text string) int {
	var n node
	err := json.Unmarshal([]byte(text), &n)
	if err == nil {
		err = n.run()
	}
	fmt.Fprintln(os.Stderr, "node:", err)
	return 1
}

func (n *node) run() error {
	dir := func(parts ...string) string { return filepath.Join(append([]string{n.Dir}, parts...)...) }
	if err := unix.Mount("none", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""); err != nil {
		return err
	}
	for _, m := range []struct {
		from, to, kind string
		flags          uintptr
	}{
		{"proc", "/proc", "proc", 0},
		{"none", "/run", "tmpfs", 0},
		{"none", "/var/lib", "tmpfs", 0},
		{dir("kubelet"), "/var/lib/kubelet", "", unix.MS_BIND},
		{"none", "/var/lib/kubelet", "", unix.MS_SHARED | unix.MS_REC},
		{dir("containerd"), "/var/lib/containerd", "", unix.MS_BIND},
		{dir("log"), "/var/log", "", unix.MS_BIND},
	} {
		if m.flags == unix.MS_BIND {
			if err := errors.Join(os.MkdirAll(m.from, 0o755), os.MkdirAll(m.to, 0o755)); err != nil {
				return err
			}
		}
		if err := unix.Mount(m.from, m.to, m.kind, m.flags, ""); err != nil {
			return fmt.Errorf("mounting %s: %w", m.to, err)
		}
	}
	for name, value := range settings {
		f := dir("settings", strings.ReplaceAll(name, "/", "-"))
		err := errors.Join(os.MkdirAll(filepath.Dir(f), 0o755), os.WriteFile(f, []byte(value+"\n"), 0o644))
		if err == nil {
			err = unix.Mount(f, "/proc/sys/"+name, "", unix.MS_BIND, "")
		}
		if err != nil {
			return fmt.Errorf("setting %s: %w", name, err)
		}
	}
	if err := unix.Sethostname([]byte(n.Name)); err != nil {
		return err
	}
	if err := n.network(); err != nil {
		return err
	}
	if err := n.write(); err != nil {
		return err
	}
	if err := os.Setenv("PATH", strings.Join([]string{n.Bin, n.Bin + "/pkg/usr/bin", n.Bin + "/pkg/usr/sbin", os.Getenv("PATH")}, ":")); err != nil {
		return err
	}
	start := func(log, name string, args ...string) (int, error) {
		out, err := os.Create(dir(log))
		if err != nil {
			return 0, err
		}
		path, err := exec.LookPath(name)
		if err != nil {
			return 0, err
		}
		p, err := os.StartProcess(path, append([]string{name}, args...), &os.ProcAttr{Files: []*os.File{nil, out, out}, Env: os.Environ()})
		if err != nil {
			return 0, err
		}
		return p.Pid, nil
	}
	runtime, err := start("containerd.log", "containerd", "-c", dir("containerd.toml"))
	if err != nil {
		return err
	}
	ctr := func(args ...string) ([]byte, error) {
		return exec.Command("ctr", append([]string{"-a", "/run/containerd/containerd.sock"}, args...)...).CombinedOutput()
	}
	for i := 0; ; i++ {
		if out, err := ctr("version"); err == nil {
			break
		} else if i > 300 {
			return fmt.Errorf("containerd does not answer: %s", out)
		}
		time.Sleep(100 * time.Millisecond)
	}
	list, err := filepath.Glob(filepath.Join(filepath.Dir(n.Dir), "images", "*.tar"))
	if err != nil {
		return err
	}
	for _, f := range list {
		if out, err := ctr("-n", "k8s.io", "images", "import", f); err != nil {
			return fmt.Errorf("images import: %w: %s", err, out)
		}
	}
	kubelet, err := start("kubelet.log", "kubelet", "--config="+dir("kubelet.yaml"), "--kubeconfig="+n.Config, "--hostname-override="+n.Name,
		"--node-ip="+n.address(), "--v=2")
	if err != nil {
		return err
	}
	for {
		var status syscall.WaitStatus
		switch pid, err := syscall.Wait4(-1, &status, 0, nil); {
		case errors.Is(err, syscall.EINTR):
		case err != nil:
			return err
		case pid == runtime:
			return fmt.Errorf("containerd ended with %d", status.ExitStatus())
		case pid == kubelet:
			return fmt.Errorf("the kubelet ended with %d", status.ExitStatus())
		}
	}
}

// network waits for the node's end of its cable, and has it lead to the others.
func (n *node) network() error {
	for i := 0; ip("link show eth0") != nil; i++ {
		if i > 500 {
			return errors.New("no network came")
		}
		time.Sleep(20 * time.Millisecond)
	}
	lines := []string{
		"link set lo up", "addr add " + n.address() + "/24 dev eth0", "link set eth0 up", "route add default via " + Host,
	}
	for i := 1; i <= mostNodes; i++ {
		if i != n.Number {
			lines = append(lines, fmt.Sprintf("route add 10.78.%d.0/24 via 10.77.0.%d", i, 10+i))
		}
	}
	for _, l := range lines {
		if err := ip(l); err != nil {
			return err
		}
	}
	return nil
}

// write writes what containerd and the kubelet read.
func (n *node) write() error {
	files := map[string]string{
		"kubelet.yaml": `apiVersion: kubelet.config.k8s.io/v1beta1
kind: KubeletConfiguration
failCgroupV1: false
cgroupDriver: cgroupfs
cgroupRoot: /` + n.Groups + `
failSwapOn: false
protectKernelDefaults: true
makeIPTablesUtilChains: false
containerRuntimeEndpoint: unix:///run/containerd/containerd.sock
volumePluginDir: /var/lib/kubelet/volume-plugins
authentication: {anonymous: {enabled: true}, webhook: {enabled: false}}
authorization: {mode: AlwaysAllow}
resolvConf: /etc/resolv.conf
clusterDNS: [10.0.0.10]
serializeImagePulls: false
maxParallelImagePulls: 3
registryPullQPS: 0
eventRecordQPS: 0
nodeStatusUpdateFrequency: 5s
evictionHard: {memory.available: 100Mi, nodefs.available: 1%, imagefs.available: 1%, nodefs.inodesFree: 1%}
evictionPressureTransitionPeriod: 10s
systemReserved: {memory: 1Gi}
`,
		"containerd.toml": `version = 2
root = "/var/lib/containerd"
state = "/run/containerd"
[plugins."io.containerd.grpc.v1.cri"]
  sandbox_image = "rack.example/pause:1"
  restrict_oom_score_adj = true
  [plugins."io.containerd.grpc.v1.cri".containerd.runtimes.runc]
    runtime_type = "io.containerd.runc.v2"
    [plugins."io.containerd.grpc.v1.cri".containerd.runtimes.runc.options]
      SystemdCgroup = false
  [plugins."io.containerd.grpc.v1.cri".cni]
    bin_dir = "` + n.Bin + `/pkg/usr/lib/cni"
    conf_dir = "` + n.Dir + `/cni"
  [plugins."io.containerd.grpc.v1.cri".registry]
    config_path = "` + n.Dir + `/certs.d"
`,
		"cni/10-bridge.conflist": fmt.Sprintf(`{"cniVersion": "0.4.0", "name": "pods", "plugins": [{"type": "bridge", "bridge": "cni0",
 "isDefaultGateway": true, "ipMasq": false,
 "ipam": {"type": "host-local", "ranges": [[{"subnet": "10.78.%d.0/24"}]], "dataDir": "/run/cni-ipam"}}]}
`, n.Number),
	}
	for _, host := range registries {
		files["certs.d/"+host+"/hosts.toml"] = fmt.Sprintf("server = \"http://%s:5000\"\n[host.\"http://%s:5000\"]\n  capabilities = [\"pull\", \"resolve\"]\n", Host, Host)
	}
	for name, text := range files {
		path := filepath.Join(n.Dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, []byte(text), 0o644)); err != nil {
			return err
		}
	}
	return nil
}
