//go:build linux

// Package nodes tries the program on real Kubernetes nodes: kubelet, containerd and runc on this
// machine, in namespaces of their own (make test-nodes). Pods run as containers, pull images at a
// shaped speed, are killed for memory, evicted and throttled.
//
// All of it, the control plane and the tests with it, runs in a network, mounts and processes of its
// own: nothing that the machine has is touched but for a folder of control groups, which is taken
// away at the end, or by the next that runs where it was killed.
package nodes

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/internal/child"
	"tachyphor/test/controlplane"

	"golang.org/x/sys/unix"
)

// The variables by which this program knows what it is.
const (
	binaries = "TACHYPHOR_NODES"      // folder of the programs, made by scripts/nodes.sh
	inside   = "TACHYPHOR_NODES_RACK" // it is the one in the namespaces; the folder of control groups
	nodeOf   = "TACHYPHOR_NODES_NODE" // it is the first process of a node, which this describes
)

// Main runs the tests of a package in namespaces of their own; it is the first process of each node
// too.
func Main(m *testing.M) int {
	switch {
	case os.Getenv(nodeOf) != "":
		return beNode(os.Getenv(nodeOf))
	case os.Getenv(inside) != "":
		if err := settle(); err != nil {
			fmt.Fprintln(os.Stderr, "nodes:", err)
			return 1
		}
		code := m.Run()
		theRack.close(code != 0)
		return code
	case cannot() != "":
		return m.Run() // each test is skipped
	}
	return within()
}

// cannot says why there can be no nodes here; empty: there can.
func cannot() string {
	dir := os.Getenv(binaries)
	switch {
	case dir == "":
		return "no real nodes: `make test-nodes` builds what they are made of and runs this on them"
	case os.Geteuid() != 0:
		return "real nodes need root"
	}
	if missing := controlplane.Missing(dir, append(controlplane.Programs, "kubelet", "burn", "depot", "pause", "tachyphor", "pkg/usr/bin/containerd", "pkg/bin/busybox")...); len(missing) > 0 {
		return fmt.Sprintf("%s=%s has no %s", binaries, dir, strings.Join(missing, ", "))
	}
	if _, err := os.Stat("/sys/fs/cgroup/cpuacct"); err != nil {
		return "this machine's control groups are of version 2, on which these nodes have not been tried"
	}
	for _, name := range []string{"ip", "mount"} {
		if _, err := exec.LookPath(name); err != nil {
			return "real nodes need the program " + name
		}
	}
	return ""
}

// within runs this program again, with the same arguments, in namespaces of its own.
func within() int {
	dropOld()
	groups := fmt.Sprintf("%s%d", ours, os.Getpid())
	defer dropGroups(groups)
	cmd := exec.Command("/proc/self/exe", os.Args[1:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	cmd.Env = append(os.Environ(), inside+"="+groups)
	cmd.SysProcAttr = &syscall.SysProcAttr{
		Cloneflags: unix.CLONE_NEWNET | unix.CLONE_NEWNS | unix.CLONE_NEWPID | unix.CLONE_NEWIPC | unix.CLONE_NEWUTS,
	}
	err := child.Run(cmd)
	var ended *exec.ExitError
	switch {
	case errors.As(err, &ended):
		return ended.ExitCode()
	case err != nil:
		fmt.Fprintln(os.Stderr, "nodes: namespaces of their own cannot be had:", err)
		return 1
	}
	return 0
}

// settle makes the namespaces this program's own.
func settle() error {
	if err := unix.Mount("none", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""); err != nil {
		return fmt.Errorf("mounts of its own: %w", err)
	}
	if err := unix.Mount("proc", "/proc", "proc", 0, ""); err != nil {
		return fmt.Errorf("mounting /proc: %w", err)
	}
	return ip("link set lo up")
}

// ip runs the program ip with arguments that hold no spaces.
func ip(args string) error {
	if out, err := exec.Command("ip", strings.Fields(args)...).CombinedOutput(); err != nil {
		return fmt.Errorf("ip %s: %w: %s", args, err, strings.TrimSpace(string(out)))
	}
	return nil
}

// hierarchies are the folders of control groups, one a controller.
func hierarchies() []string {
	list, _ := filepath.Glob("/sys/fs/cgroup/*")
	return list
}

// makeGroup makes a control group in every hierarchy.
func makeGroup(name string) error {
	for _, h := range hierarchies() {
		dir := filepath.Join(h, name)
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return err
		}
		if filepath.Base(h) != "cpuset" {
			continue
		}
		for _, f := range []string{"cpuset.cpus", "cpuset.mems"} { // empty groups of it can hold nothing
			b, err := os.ReadFile(filepath.Join(filepath.Dir(dir), f))
			if err == nil {
				err = os.WriteFile(filepath.Join(dir, f), b, 0o644)
			}
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// ours is what control groups and folders of racks begin with, before the number of the process
// outside.
const ours = "tachyphor-nodes-"

// dropOld takes away what racks left whose process outside was killed: all else ended with it.
func dropOld() {
	list, _ := filepath.Glob("/sys/fs/cgroup/*/" + ours + "*")
	dirs, _ := filepath.Glob(filepath.Join(os.TempDir(), ours+"*"))
	for _, path := range append(list, dirs...) {
		number, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(path), ours), "-")
		if _, err := strconv.Atoi(number); err != nil {
			continue
		}
		if _, err := os.Stat("/proc/" + number); !os.IsNotExist(err) {
			continue // it may be at work
		}
		if strings.HasPrefix(path, "/sys/") {
			dropGroups(filepath.Base(path))
		} else {
			_ = os.RemoveAll(path)
		}
	}
}

// dropGroups takes control groups away, which empty a moment after their processes have gone.
func dropGroups(name string) {
	for range 100 {
		left := false
		for _, h := range hierarchies() {
			var dirs []string
			_ = filepath.WalkDir(filepath.Join(h, name), func(path string, d os.DirEntry, err error) error {
				if err == nil && d.IsDir() {
					dirs = append(dirs, path)
				}
				return nil
			})
			for i := len(dirs) - 1; i >= 0; i-- {
				left = os.Remove(dirs[i]) != nil || left
			}
		}
		if !left {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	fmt.Fprintf(os.Stderr, "nodes: control groups %s could not be taken away from /sys/fs/cgroup\n", name)
}
