package child_test

import (
	"os"
	"os/exec"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"tachyphor/internal/child"
)

// Threads that end, as those of work do, take no program with them.
func TestThreadsEndAndProgramsStay(t *testing.T) {
	list, waits := make([]*exec.Cmd, 8), make([]func() error, 8)
	var begun sync.WaitGroup
	for i := range list {
		begun.Go(func() { // beside each other, so that they begin on several threads
			list[i] = exec.Command("sleep", "60")
			var err error
			if waits[i], err = child.Start(list[i]); err != nil {
				t.Error(err)
			}
		})
	}
	if begun.Wait(); t.Failed() {
		return
	}
	for range 20 {
		var all sync.WaitGroup
		for range 20 {
			all.Go(func() {
				runtime.LockOSThread() // and never unlocked: the thread ends
				time.Sleep(time.Millisecond)
			})
		}
		all.Wait()
	}
	for i, cmd := range list {
		if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
			t.Errorf("program %d had ended: %v", i, err)
		}
		_ = waits[i]()
		if s := cmd.ProcessState.Sys().(syscall.WaitStatus); s.Signal() != syscall.SIGTERM {
			t.Errorf("program %d ended by %v, not by the signal that it was sent", i, s.Signal())
		}
	}
}

// A program is killed with the process that began it.
func TestEndsWithThisProcess(t *testing.T) {
	if os.Getenv("BEGIN_AND_DIE") != "" {
		cmd := exec.Command("sleep", "60")
		if _, err := child.Start(cmd); err != nil {
			t.Fatal(err)
		}
		_, _ = os.Stdout.WriteString("pid " + strconv.Itoa(cmd.Process.Pid) + "\n")
		_ = syscall.Kill(os.Getpid(), syscall.SIGKILL)
	}
	cmd := exec.Command(os.Args[0], "-test.run=^TestEndsWithThisProcess$")
	cmd.Env = append(os.Environ(), "BEGIN_AND_DIE=1")
	out, _ := cmd.Output()
	_, pid, _ := strings.Cut(string(out), "pid ")
	n, err := strconv.Atoi(strings.TrimSpace(pid))
	if err != nil {
		t.Fatalf("the one that dies said %q", out)
	}
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(10 * time.Millisecond) {
		b, err := os.ReadFile("/proc/" + strconv.Itoa(n) + "/stat")
		if err != nil || strings.Contains(string(b), ") Z ") {
			return
		}
		if time.Now().After(deadline) {
			t.Fatal("it runs on")
		}
	}
}

// What cannot be started says so.
func TestNoSuchProgram(t *testing.T) {
	if err := child.Run(exec.Command("/no/such/program")); err == nil {
		t.Error("no error")
	}
}
