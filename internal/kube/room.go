package kube

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	discoveryv1 "k8s.io/api/discovery/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// quota says how many more agents the namespace's quotas leave room for.
func (f *flight) quota(ctx context.Context) {
	if !f.there {
		f.add(wire.CheckUnclear, "quota", "the namespace is not there yet", f.kitFirst())
		return
	}
	list, err := f.client.CoreV1().ResourceQuotas(f.namespace).List(ctx, metav1.ListOptions{})
	if err != nil {
		f.trouble("quota", err, "")
		return
	}
	if len(list.Items) == 0 {
		f.add(wire.CheckPassed, "quota", "the namespace has none: nothing bounds what agents request together", "")
		return
	}
	for _, d := range f.plan.Templates {
		r := template.Effective(&d.Value.(*document.PodTemplate).Template.Spec, template.Request{})
		room, by := math.MaxInt, ""
		for _, q := range list.Items {
			for name, hard := range q.Spec.Hard {
				used := q.Status.Used[name]
				free := hard.DeepCopy()
				free.Sub(used)
				each := map[corev1.ResourceName]int64{
					corev1.ResourcePods: 1000, "count/pods": 1000, corev1.ResourceRequestsCPU: int64(r.CPU), corev1.ResourceCPU: int64(r.CPU),
					corev1.ResourceRequestsMemory: int64(r.Memory) * 1000, corev1.ResourceMemory: int64(r.Memory) * 1000,
					corev1.ResourceRequestsEphemeralStorage: int64(r.Disk) * 1000, corev1.ResourceEphemeralStorage: int64(r.Disk) * 1000,
				}[name]
				if each <= 0 {
					continue
				}
				if n := int(max(free.MilliValue(), 0) / each); n < room {
					room, by = n, string(name)+" of quota "+q.Name
				}
			}
		}
		name := "room for " + d.Name
		switch {
		case room == math.MaxInt:
			f.add(wire.CheckPassed, name, "no quota counts what it requests", "")
		case room == 0:
			f.add(wire.CheckFailed, name, "none: "+by+" is used up",
				"Raise the quota, or see what uses it: kubectl -n "+f.namespace+" describe quota")
		default:
			f.add(wire.CheckPassed, name, fmt.Sprintf("%d more, bounded by %s", room, by), "")
		}
	}
}

// controller looks at the controller's Service and its port.
func (f *flight) controller(ctx context.Context) {
	if f.plan.Controller == "" {
		f.add(wire.CheckUnclear, "controller", "nobody said where it is", "Write its address into the cluster document: spec.controller.inside.")
		return
	}
	u, err := url.Parse(f.plan.Controller)
	if err != nil {
		f.add(wire.CheckFailed, "controller", err.Error(), "")
		return
	}
	port := review.Port(u)
	service, namespace, ok := kit.Service(u.Hostname())
	if !ok {
		f.add(wire.CheckUnclear, "controller", u.Host+" is no name of a Service in a cluster",
			"Rehearse an agent: it tries the address from inside.")
		return
	}
	name := "controller " + service + "." + namespace
	s, err := f.client.CoreV1().Services(namespace).Get(ctx, service, metav1.GetOptions{})
	if apierrors.IsNotFound(err) {
		f.add(wire.CheckFailed, name, "there is no such Service: the name resolves to nothing",
			"Look for it: kubectl get services -A | grep "+service)
		return
	}
	if err != nil {
		f.trouble(name, err, "")
		return
	}
	var ports []string
	at := slices.IndexFunc(s.Spec.Ports, func(p corev1.ServicePort) bool {
		ports = append(ports, strconv.Itoa(int(p.Port)))
		return int(p.Port) == port
	})
	if at < 0 {
		f.add(wire.CheckFailed, name, fmt.Sprintf("it has no port %d; it has %s", port, strings.Join(ports, ", ")),
			"Use a port that it has, in spec.controller.inside and in the templates.")
		return
	}
	f.endpoints(ctx, name, s)
	f.open(ctx, s, port, u)
}

func (f *flight) endpoints(ctx context.Context, name string, s *corev1.Service) {
	slices, err := f.client.DiscoveryV1().EndpointSlices(s.Namespace).List(ctx,
		metav1.ListOptions{LabelSelector: discoveryv1.LabelServiceName + "=" + s.Name})
	if err != nil {
		f.trouble(name, err, "")
		return
	}
	ready, all := 0, 0
	for _, x := range slices.Items {
		for _, e := range x.Endpoints {
			all += len(e.Addresses)
			if e.Conditions.Ready == nil || *e.Conditions.Ready {
				ready += len(e.Addresses)
			}
		}
	}
	if ready == 0 {
		f.add(wire.CheckFailed, name, fmt.Sprintf("the Service is there and none of its %d endpoints is ready", all),
			"See whether the controller runs and is ready: kubectl -n "+s.Namespace+" get pods,endpointslices")
		return
	}
	f.add(wire.CheckPassed, name, fmt.Sprintf("%d of %d endpoints ready", ready, all), "")
}

// open tries the controller's port: from here where here is the cluster, through
// the API server otherwise.
func (f *flight) open(ctx context.Context, s *corev1.Service, port int, u *url.URL) {
	name := fmt.Sprintf("port %d of the controller", port)
	ctx, cancel := context.WithTimeout(ctx, requestTime)
	defer cancel()
	if f.Inside {
		c, err := (&net.Dialer{}).DialContext(ctx, "tcp", net.JoinHostPort(u.Hostname(), strconv.Itoa(port)))
		if err != nil {
			f.add(wire.CheckFailed, name, err.Error(), "See whether the controller listens there and no network policy closes it.")
			return
		}
		_ = c.Close()
		f.add(wire.CheckPassed, name, "open", "")
		return
	}
	scheme := ""
	if u.Scheme == "https" {
		scheme = "https"
	}
	_, err := f.client.CoreV1().Services(s.Namespace).ProxyGet(scheme, s.Name, strconv.Itoa(port), "/", nil).DoRaw(ctx)
	switch {
	case err == nil:
		f.add(wire.CheckPassed, name, "something answers, asked through the API server", "")
	case apierrors.IsForbidden(err) && strings.Contains(words(err), "services/proxy"):
		f.add(wire.CheckUnclear, name, "this connection may not ask through the API server",
			"Rehearse an agent, or ask for the right to services/proxy.")
	case apierrors.IsServiceUnavailable(err), apierrors.IsInternalError(err), apierrors.IsTimeout(err):
		f.add(wire.CheckFailed, name, words(err), "See whether the controller listens there and no network policy closes it.")
	default:
		var status apierrors.APIStatus
		if ok := errors.As(err, &status); ok && status.Status().Code > 0 { // an answer, if not a kind one
			f.add(wire.CheckPassed, name, fmt.Sprintf("something answers (status %d), asked through the API server", status.Status().Code), "")
			return
		}
		f.add(wire.CheckFailed, name, words(err), "See whether the controller listens there and no network policy closes it.")
	}
}
