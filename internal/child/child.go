// Package child starts programs that end with this process.
package child

import (
	"os/exec"
	"runtime"
	"sync"
	"syscall"
)

// Start starts a program that the kernel kills when this process dies, however it dies, and
// returns what waits for its end, which must be called. The kernel ties that death to the
// thread that began the program, not to the process, and Go ends threads whose goroutine
// ended with its thread locked: so the thread is held until the program has ended.
func Start(cmd *exec.Cmd) (wait func() error, err error) {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Pdeathsig = syscall.SIGKILL
	begun, over := make(chan error), make(chan struct{})
	go func() {
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := cmd.Start()
		begun <- err
		if err == nil {
			<-over
		}
	}()
	if err := <-begun; err != nil {
		return nil, err
	}
	return sync.OnceValue(func() error {
		defer close(over)
		return cmd.Wait()
	}), nil
}

// Run is Start that waits.
func Run(cmd *exec.Cmd) error {
	wait, err := Start(cmd)
	if err != nil {
		return err
	}
	return wait()
}
