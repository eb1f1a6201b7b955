package cluster

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"os"
	"os/exec"

	corev1 "k8s.io/api/core/v1"
)

// OwnImage is the image of this program itself: its containers are processes of this machine.
const OwnImage = "images.brinewell.example/tachyphor:own"

// ownSize is how large it is told to be.
const ownSize = 48 << 20

// mostSaid is how much of what a process wrote is told when it fails, from its end.
const mostSaid = 2048

// isOwn reports whether a container runs this program.
func isOwn(c corev1.Container) bool { return c.Image == OwnImage }

// runs runs a container as a process, until that ends or its pod is taken away.
func (k *kubelet) runs(p *corev1.Pod, c corev1.Container) {
	key := p.Namespace + "/" + p.Name
	ctx, stop := context.WithCancel(k.c.running)
	defer stop()
	k.processes.Store(key, stop)
	defer k.processes.Delete(key)
	if o, ok := k.c.objects.get(pods, key); !ok || meta(o)["deletionTimestamp"] != nil {
		return // it went before it began
	}
	program := k.c.options.Program
	if program == "" {
		var err error
		if program, err = os.Executable(); err != nil {
			program = os.Args[0]
		}
	}
	var said bytes.Buffer
	cmd := exec.CommandContext(ctx, program, c.Args...)
	cmd.Env, cmd.Stdout, cmd.Stderr = k.environment(p.Namespace, c), &said, &said
	err := cmd.Run()
	k.logs.Store(key+"/"+c.Name, said.String())
	end, phase := corev1.ContainerStateTerminated{Reason: "Completed"}, corev1.PodSucceeded
	if err != nil {
		end, phase = corev1.ContainerStateTerminated{Reason: "Error", ExitCode: 1}, corev1.PodFailed
		var exit *exec.ExitError
		switch {
		case !errors.As(err, &exit):
			end.ExitCode = 127
			said.WriteString(err.Error())
		case exit.ExitCode() >= 0:
			end.ExitCode = int32(exit.ExitCode())
		default:
			end.ExitCode = 137
		}
		b := said.Bytes()
		end.Message = string(b[max(0, len(b)-mostSaid):])
	}
	k.state(p, c.Name, corev1.ContainerState{Terminated: &end}, phase)
}

// environment is what a container's variables say.
func (k *kubelet) environment(namespace string, c corev1.Container) (out []string) {
	for _, e := range c.Env {
		value := e.Value
		if e.ValueFrom != nil && e.ValueFrom.SecretKeyRef != nil {
			ref := e.ValueFrom.SecretKeyRef
			o, _ := k.c.objects.get(secrets, namespace+"/"+ref.Name)
			data, _ := o["data"].(object)
			coded, _ := data[ref.Key].(string)
			b, _ := base64.StdEncoding.DecodeString(coded) // it was coded here
			value = string(b)
		}
		out = append(out, e.Name+"="+value)
	}
	return out
}
