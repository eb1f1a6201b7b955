package kube

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"tachyphor/core/kit"
	"tachyphor/core/units"
	"tachyphor/internal/probe"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// storeTryLongest is how long a pod may take that tries a store.
const storeTryLongest = 2 * time.Minute

// TryStore has a pod of this program's own image try, inside the cluster and with the keys of the kit's Secret,
// what agents there may do with the cache store. The pod is gone when it ends.
func (c *Cluster) TryStore(ctx context.Context, namespace, image, address string) wire.Check {
	name := "cache store from inside"
	fail := func(says, do string) wire.Check {
		return wire.Check{Name: name, State: wire.CheckFailed, Says: says, Do: do}
	}
	asPod, asContainer := kit.Restricted(65534)
	key := func(env, of string) corev1.EnvVar {
		return corev1.EnvVar{Name: env, ValueFrom: &corev1.EnvVarSource{SecretKeyRef: &corev1.SecretKeySelector{
			LocalObjectReference: corev1.LocalObjectReference{Name: kit.CacheSecret}, Key: of,
		}}}
	}
	small := corev1.ResourceList{corev1.ResourceCPU: resource.MustParse("100m"), corev1.ResourceMemory: resource.MustParse("128Mi"), corev1.ResourceEphemeralStorage: resource.MustParse("64Mi")}
	pod := &corev1.Pod{
		ObjectMeta: metav1.ObjectMeta{GenerateName: "store-try-", Namespace: namespace, Labels: map[string]string{"tachyphor/store-try": "true"}},
		Spec: corev1.PodSpec{
			RestartPolicy: corev1.RestartPolicyNever, AutomountServiceAccountToken: new(false),
			ActiveDeadlineSeconds: new(int64(storeTryLongest / time.Second)), TerminationGracePeriodSeconds: new(int64),
			SecurityContext: asPod,
			Containers: []corev1.Container{{
				Name: "try", Image: image, Args: []string{"probe", "--rights", "--store", address, "-o", "json"},
				Env:             []corev1.EnvVar{key("TACHYPHOR_STORE_ACCESS", "access"), key("TACHYPHOR_STORE_SECRET", "secret")},
				Resources:       corev1.ResourceRequirements{Requests: small, Limits: corev1.ResourceList{corev1.ResourceMemory: small[corev1.ResourceMemory]}},
				SecurityContext: asContainer,
			}},
		},
	}
	s, err := c.client.CoreV1().Secrets(namespace).Get(ctx, kit.CacheSecret, metav1.GetOptions{})
	switch {
	case apierrors.IsNotFound(err) || err == nil && (len(s.Data["access"]) == 0 || len(s.Data["secret"]) == 0):
		return fail("Secret "+kit.CacheSecret+" has not both keys, access and secret", "Fill it as the access kit says (cache.yaml).")
	case err != nil && !apierrors.IsForbidden(err):
		return fail(words(err), "")
	}
	made, err := c.client.CoreV1().Pods(namespace).Create(ctx, pod, metav1.CreateOptions{})
	if err != nil {
		return fail("no pod to try it from: "+words(err), "")
	}
	defer func() {
		clean, cancel := context.WithTimeout(context.WithoutCancel(ctx), requestTime)
		defer cancel()
		_ = c.client.CoreV1().Pods(namespace).Delete(clean, made.Name, metav1.DeleteOptions{})
	}()
	text, err := c.saidBy(ctx, namespace, made.Name)
	if err != nil {
		return fail(err.Error(), "See whether nodes can pull "+image+", and what becomes of pods there: tachyphor rehearse.")
	}
	var r probe.Rights
	if at := strings.IndexByte(text, '{'); at < 0 || json.NewDecoder(strings.NewReader(text[at:])).Decode(&r) != nil {
		return fail("the pod did not tell: "+strings.TrimSpace(text[:min(len(text), 300)]), "A network rule may keep it from "+address+".")
	}
	if !r.Enough {
		why := ""
		for _, x := range r.Rights {
			if x.Needed != "" && !x.Has {
				why += fmt.Sprintf("; to %s it says: %s", x.What, x.Says)
			}
		}
		return fail(r.Says+why, "Give the keys the right to read and write objects of the bucket; listing and deleting are not needed.")
	}
	return wire.Check{Name: name, State: wire.CheckPassed, Says: address + ": " + r.Says}
}

// saidBy waits for a pod to end and returns what it wrote.
func (c *Cluster) saidBy(ctx context.Context, namespace, name string) (string, error) {
	for end := time.Now().Add(storeTryLongest); ; {
		p, err := c.client.CoreV1().Pods(namespace).Get(ctx, name, metav1.GetOptions{})
		switch {
		case err != nil:
			return "", errors.New(words(err))
		case p.Status.Phase == corev1.PodSucceeded || p.Status.Phase == corev1.PodFailed:
			stream, err := c.client.CoreV1().Pods(namespace).GetLogs(name, &corev1.PodLogOptions{Container: "try"}).Stream(ctx)
			if err != nil {
				return "", errors.New(words(err))
			}
			defer func() { _ = stream.Close() }()
			b, err := io.ReadAll(io.LimitReader(stream, 1<<20))
			return string(b), err
		case time.Now().After(end):
			why := podTrouble(p)
			if why == "" {
				why = "nothing says why"
			}
			return "", fmt.Errorf("the pod that tries it did not end within %s: %s", units.Duration(storeTryLongest).Short(), why)
		}
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
}
