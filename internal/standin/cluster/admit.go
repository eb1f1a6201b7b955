package cluster

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// admit looks at an object as the API server does before it takes it: what agents
// get wrong, no more.
func (c *Cluster) admit(r apiResource, o object) (object, error) {
	if r != pods {
		return o, nil
	}
	p := into[corev1.Pod](o)
	c.limitRange(&p)
	if causes := wrong(&p); len(causes) > 0 {
		var said []string
		for _, x := range causes {
			said = append(said, x.(object)["field"].(string)+": "+x.(object)["message"].(string))
		}
		return nil, failure{
			http.StatusUnprocessableEntity, "Invalid", fmt.Sprintf("Pod %q is invalid: %s", p.Name, strings.Join(said, ", ")),
			causes,
		}
	}
	if err := c.quota(&p); err != nil {
		return nil, err
	}
	p.Status.Phase = corev1.PodPending
	out := encode(p)
	return out, nil
}

func wrong(p *corev1.Pod) []any {
	var causes []any
	bad := func(field, message string) {
		causes = append(causes, object{"field": field, "message": message, "reason": "FieldValueInvalid"})
	}
	if len(p.Spec.Containers) == 0 {
		bad("spec.containers", "Required value")
	}
	seen := map[string]bool{}
	for i, k := range p.Spec.Containers {
		at := fmt.Sprintf("spec.containers[%d]", i)
		if k.Name == "" || seen[k.Name] {
			bad(at+".name", "Required value, and no name twice")
		}
		seen[k.Name] = true
		if k.Image == "" {
			bad(at+".image", "Required value")
		}
		for _, b := range template.BelowRequest(k) {
			bad(at+".resources.requests", fmt.Sprintf("Invalid value: %q: must be less than or equal to %s limit of %s", b.Request.String(),
				b.Resource, b.Limit.String()))
		}
		for j, m := range k.VolumeMounts {
			if !slices.ContainsFunc(p.Spec.Volumes, func(v corev1.Volume) bool { return v.Name == m.Name }) {
				bad(fmt.Sprintf("%s.volumeMounts[%d].name", at, j), fmt.Sprintf("Not found: %q", m.Name))
			}
		}
	}
	return causes
}

// limitRange gives containers the namespace's defaults.
func (c *Cluster) limitRange(p *corev1.Pod) {
	all, _ := c.objects.list(ranges, p.Namespace)
	for _, o := range all {
		for _, l := range into[corev1.LimitRange](o).Spec.Limits {
			if l.Type != corev1.LimitTypeContainer {
				continue
			}
			for _, list := range [][]corev1.Container{p.Spec.InitContainers, p.Spec.Containers} {
				for i := range list {
					r := &list[i].Resources
					r.Limits, r.Requests = defaults(r.Limits, l.Default), defaults(r.Requests, l.DefaultRequest)
				}
			}
		}
	}
}

func defaults(have, add corev1.ResourceList) corev1.ResourceList {
	if have == nil && len(add) > 0 {
		have = corev1.ResourceList{}
	}
	for k, v := range add {
		if _, ok := have[k]; !ok {
			have[k] = v
		}
	}
	return have
}

// quota refuses what would go above a quota, and keeps what is used.
func (c *Cluster) quota(p *corev1.Pod) error {
	all, _ := c.objects.list(quotas, p.Namespace)
	for _, o := range all {
		q := into[corev1.ResourceQuota](o)
		used := c.used(p.Namespace)
		mine := amounts(p)
		for name, hard := range q.Spec.Hard {
			u, m := used[name], mine[name]
			sum := u.DeepCopy()
			if sum.Add(m); sum.Cmp(hard) > 0 && !m.IsZero() {
				return failure{
					http.StatusForbidden, "Forbidden",
					fmt.Sprintf("pods %q is forbidden: exceeded quota: %s, requested: %s=%s, used: %s=%s, limited: %s=%s",
						p.Name, q.Name, name, m.String(), name, u.String(), name, hard.String()), nil,
				}
			}
		}
		c.objects.edit(quotas, keyOf(o), func(o object) bool {
			o["status"] = object{"hard": o["spec"].(object)["hard"], "used": encode(used)}
			return true
		})
	}
	return nil
}

// used adds up what the pods of a namespace request that are not over.
func (c *Cluster) used(namespace string) corev1.ResourceList {
	sum := corev1.ResourceList{}
	all, _ := c.objects.list(pods, namespace)
	for _, o := range all {
		p := into[corev1.Pod](o)
		if p.Status.Phase == corev1.PodSucceeded || p.Status.Phase == corev1.PodFailed {
			continue
		}
		for k, v := range amounts(&p) {
			q := sum[k]
			q.Add(v)
			sum[k] = q
		}
	}
	return sum
}

func amounts(p *corev1.Pod) corev1.ResourceList {
	r := template.Effective(&p.Spec, template.Request{})
	return corev1.ResourceList{
		corev1.ResourcePods: resource.MustParse("1"), corev1.ResourceRequestsCPU: *resource.NewMilliQuantity(int64(r.CPU), resource.DecimalSI),
		corev1.ResourceRequestsMemory:           *resource.NewQuantity(int64(r.Memory), resource.BinarySI),
		corev1.ResourceRequestsEphemeralStorage: *resource.NewQuantity(int64(r.Disk), resource.BinarySI),
	}
}
