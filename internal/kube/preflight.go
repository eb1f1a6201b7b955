package kube

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/apis/meta/v1/unstructured"
	"k8s.io/apimachinery/pkg/runtime/schema"
	"k8s.io/apimachinery/pkg/types"
	"sigs.k8s.io/yaml"
)

// A Plan is what a connection is tested for.
type Plan struct {
	Templates  []*document.Document
	Kit        []kit.Manifest
	Scenario   string // that the kit is under; empty: none
	Controller string // address inside the cluster; empty: not known
	Store      string // address of the cache store, likewise
}

// flight is one preflight on its way.
type flight struct {
	*Cluster
	plan      Plan
	namespace string
	there     bool // the namespace is
	kitTold   bool // that the kit is to be applied
	tell      func(wire.Check)
	list      []wire.Check
}

// Preflight tests a connection, right by right, to the end, and tells each check
// as it is made.
func (c *Cluster) Preflight(ctx context.Context, plan Plan, tell func(wire.Check)) []wire.Check {
	f := &flight{Cluster: c, plan: plan, namespace: plan.Templates[0].Value.(*document.PodTemplate).Namespace, tell: tell}
	if !f.reachable(ctx) {
		return f.list
	}
	for _, step := range []func(context.Context){f.wayIn, f.space, f.rights, f.nothingMore, f.dryKit, f.dryPods, f.quota, f.secrets, f.controller} {
		if ctx.Err() != nil {
			break
		}
		step(ctx)
	}
	return f.list
}

func (f *flight) add(state wire.CheckState, name, says, do string) {
	c := wire.Check{Name: name, State: state, Says: says, Do: do}
	f.list = append(f.list, c)
	f.tell(c)
}

// trouble adds a check that an error decided: what the server forbids to look at
// could not be told.
func (f *flight) trouble(name string, err error, do string) {
	if apierrors.IsForbidden(err) || apierrors.IsUnauthorized(err) {
		f.add(wire.CheckUnclear, name, words(err), "Ask someone with the right to look, or let them run this.")
		return
	}
	f.add(wire.CheckFailed, name, words(err), do)
}

func (f *flight) reachable(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, requestTime)
	defer cancel()
	raw, err := f.client.Discovery().RESTClient().Get().AbsPath("/version").DoRaw(ctx)
	var v struct{ GitVersion, Major, Minor string }
	if err == nil {
		err = json.Unmarshal(raw, &v)
	}
	if err != nil {
		do := "See whether the cluster is up and the address in the kubeconfig is right; a firewall or a missing VPN looks the same."
		if apierrors.IsUnauthorized(err) {
			do = "The cluster does not know who asks: sign in again, or look for white space in the token."
		}
		f.add(wire.CheckFailed, "cluster reached", words(err), do)
		f.add(wire.CheckUnclear, "everything else", "the cluster was not reached", "Mend that first and run this again.")
		return false
	}
	f.add(wire.CheckPassed, "cluster reached", f.config.Host, "")
	var minor int
	_, _ = fmt.Sscanf(v.Minor, "%d", &minor)
	if v.Major == "1" && minor < oldest {
		f.add(wire.CheckUnclear, "version", v.GitVersion+", older than what this is tried with",
			fmt.Sprintf("It may work; 1.%d and later are known to.", oldest))
	} else {
		f.add(wire.CheckPassed, "version", v.GitVersion, "")
	}
	return true
}

// oldest is the minor version from which side containers that end with the agent
// are there (1.29).
const oldest = 29

// applyKit is what to do when a part of the kit is not there.
func applyKit(template, scenario string) string {
	of := ""
	if scenario != "" {
		of = " --scenario " + scenario
	}
	return "Apply the access kit: tachyphor render " + template + " --parts kit" + of + " | kubectl apply -f -"
}

// kitFirst is applyKit for this preflight, told once.
func (f *flight) kitFirst() string {
	if f.kitTold {
		return ""
	}
	f.kitTold = true
	return applyKit(f.plan.Templates[0].Name, f.plan.Scenario)
}

func (f *flight) space(ctx context.Context) {
	n, err := f.client.CoreV1().Namespaces().Get(ctx, f.namespace, metav1.GetOptions{})
	name := "namespace " + f.namespace
	switch {
	case apierrors.IsNotFound(err):
		f.add(wire.CheckFailed, name, "there is none", f.kitFirst())
	case apierrors.IsForbidden(err): // it may well be there
		f.there = true
		f.trouble(name, err, "")
	case err != nil:
		f.trouble(name, err, f.kitFirst())
	case n.Status.Phase == corev1.NamespaceTerminating:
		f.add(wire.CheckFailed, name, "it is being deleted; nothing can be made in it",
			"Wait until it is gone, or see what holds it: kubectl get ns "+f.namespace+" -o yaml")
	default:
		f.there = true
		f.add(wire.CheckPassed, name, "there", "")
	}
}

// gvrs are the resources of what a kit is made of.
var gvrs = map[string]schema.GroupVersionResource{
	"Namespace":      {Version: "v1", Resource: "namespaces"},
	"ServiceAccount": {Version: "v1", Resource: "serviceaccounts"},
	"Secret":         {Version: "v1", Resource: "secrets"},
	"ResourceQuota":  {Version: "v1", Resource: "resourcequotas"},
	"LimitRange":     {Version: "v1", Resource: "limitranges"},
	"PodTemplate":    {Version: "v1", Resource: "podtemplates"},

	"PersistentVolumeClaim": {Version: "v1", Resource: "persistentvolumeclaims"},
	"Role":                  {Group: "rbac.authorization.k8s.io", Version: "v1", Resource: "roles"},
	"RoleBinding":           {Group: "rbac.authorization.k8s.io", Version: "v1", Resource: "rolebindings"},
	"DaemonSet":             {Group: "apps", Version: "v1", Resource: "daemonsets"},
	"StatefulSet":           {Group: "apps", Version: "v1", Resource: "statefulsets"},
	"Service":               {Version: "v1", Resource: "services"},
	"NetworkPolicy":         {Group: "networking.k8s.io", Version: "v1", Resource: "networkpolicies"},
}

// Objects reads the objects of manifests.
func Objects(list []kit.Manifest) ([]*unstructured.Unstructured, error) {
	var out []*unstructured.Unstructured
	for _, m := range list {
		for _, text := range strings.Split("\n"+m.Text, "\n---\n") {
			o := &unstructured.Unstructured{}
			if err := yaml.Unmarshal([]byte(text), &o.Object); err != nil {
				return nil, fmt.Errorf("%s: %w", m.File, err)
			}
			if len(o.Object) > 0 {
				out = append(out, o)
			}
		}
	}
	return out, nil
}

// Apply sends an object to the server as kubectl's server-side apply does; with
// dry nothing is kept.
func (c *Cluster) Apply(ctx context.Context, o *unstructured.Unstructured, dry bool) error {
	gvr, ok := gvrs[o.GetKind()]
	if !ok {
		return fmt.Errorf("no way to apply a %s", o.GetKind())
	}
	b, err := o.MarshalJSON()
	if err != nil {
		return err
	}
	force := true
	options := metav1.PatchOptions{FieldManager: "tachyphor", Force: &force, FieldValidation: metav1.FieldValidationStrict}
	if dry {
		options.DryRun = []string{metav1.DryRunAll}
	}
	if ns := o.GetNamespace(); ns != "" {
		_, err = c.dynamic.Resource(gvr).Namespace(ns).Patch(ctx, o.GetName(), types.ApplyPatchType, b, options)
	} else {
		_, err = c.dynamic.Resource(gvr).Patch(ctx, o.GetName(), types.ApplyPatchType, b, options)
	}
	return err
}

func (f *flight) dryKit(ctx context.Context) {
	objects, err := Objects(f.plan.Kit)
	if err != nil {
		f.add(wire.CheckFailed, "access kit", err.Error(), "")
		return
	}
	for _, o := range objects {
		name := "kit: " + o.GetKind() + " " + o.GetName()
		err := f.Apply(ctx, o, true)
		switch {
		case err == nil:
			f.add(wire.CheckPassed, name, "the server would take it", "")
		case apierrors.IsNotFound(err) && o.GetNamespace() != "" && o.GetNamespace() != f.namespace:
			f.add(wire.CheckUnclear, name, "namespace "+o.GetNamespace()+" is not there yet", f.kitFirst())
		case apierrors.IsNotFound(err) && !f.there:
			f.add(wire.CheckUnclear, name, "the namespace is not there yet", f.kitFirst())
		default:
			f.trouble(name, err, "Mend what the server names, in the template or the scenario that the kit is made from.")
		}
	}
}

// pod reads a template's pod.
func pod(d *document.Document) (*corev1.Pod, error) {
	var p corev1.Pod
	return &p, yaml.UnmarshalStrict([]byte(d.Pod()), &p)
}

func (f *flight) dryPods(ctx context.Context) {
	for _, d := range f.plan.Templates {
		name := "agent of " + d.Name
		p, err := pod(d)
		if err != nil {
			f.add(wire.CheckFailed, name, err.Error(), "Mend the template: tachyphor check "+d.Name)
			continue
		}
		got, err := f.client.CoreV1().Pods(f.namespace).Create(ctx, p,
			metav1.CreateOptions{DryRun: []string{metav1.DryRunAll}, FieldValidation: metav1.FieldValidationStrict})
		switch {
		case err == nil:
			f.add(wire.CheckPassed, name, "the server would take it", "")
			f.changed(ctx, d.Name, p, got)
		case apierrors.IsNotFound(err) && !f.there:
			f.add(wire.CheckUnclear, name, "the namespace is not there yet", f.kitFirst())
		case apierrors.IsForbidden(err) && strings.Contains(words(err), "exceeded quota"):
			f.add(wire.CheckFailed, name, words(err), "Raise the quota, lower the ceiling, or wait until agents are gone.")
		case apierrors.IsForbidden(err) && !strings.Contains(words(err), "cannot create resource"):
			f.add(wire.CheckFailed, name, words(err), "Something that admits pods to the namespace refuses this one: a limit range, "+
				"a policy, a missing service account.")
		default:
			f.trouble(name, err, "Mend what the server names: tachyphor check "+d.Name)
		}
	}
}

// changed says what the server would add to a pod: a limit range's defaults.
func (f *flight) changed(ctx context.Context, template string, sent, got *corev1.Pod) {
	var parts []string
	compare := func(a, b []corev1.Container) {
		for i := range min(len(a), len(b)) {
			for _, x := range []struct {
				what      string
				was, is   corev1.ResourceList
				requested bool
			}{{"request", a[i].Resources.Requests, b[i].Resources.Requests, true}, {"limit", a[i].Resources.Limits, b[i].Resources.Limits, false}} {
				for _, r := range []corev1.ResourceName{corev1.ResourceCPU, corev1.ResourceMemory, corev1.ResourceEphemeralStorage} {
					q, is := x.is[r]
					if _, was := x.was[r]; is && !was {
						if _, limited := a[i].Resources.Limits[r]; limited && x.requested {
							continue // Kubernetes' own rule: the limit stands for it
						}
						parts = append(parts, fmt.Sprintf("%s gets a %s of %s %s", a[i].Name, x.what, q.String(), r))
					}
				}
			}
		}
	}
	compare(sent.Spec.InitContainers, got.Spec.InitContainers)
	compare(sent.Spec.Containers, got.Spec.Containers)
	name := "limit range for " + template
	if len(parts) == 0 {
		f.add(wire.CheckPassed, name, "it changes nothing", "")
		return
	}
	by := ""
	if list, err := f.client.CoreV1().LimitRanges(f.namespace).List(ctx, metav1.ListOptions{}); err == nil && len(list.Items) > 0 {
		var names []string
		for _, l := range list.Items {
			names = append(names, l.Name)
		}
		by = ", by LimitRange " + strings.Join(names, " or ")
	}
	f.add(wire.CheckPassed, name, strings.Join(parts, "; ")+by,
		"Say it in the template yourself, so that it does not depend on the namespace.")
}

func (f *flight) secrets(ctx context.Context) {
	var need []review.SecretUse
	for _, d := range f.plan.Templates {
		for _, s := range review.Secrets(&d.Value.(*document.PodTemplate).Template.Spec) {
			if !s.Optional && !slices.ContainsFunc(need, func(o review.SecretUse) bool { return o.Name == s.Name }) {
				need = append(need, s)
			}
		}
	}
	for _, s := range need {
		name := "secret " + s.Name
		got, err := f.client.CoreV1().Secrets(f.namespace).Get(ctx, s.Name, metav1.GetOptions{})
		if err != nil {
			if apierrors.IsNotFound(err) {
				f.add(wire.CheckFailed, name, "there is none: pods that name it do not start", "Make it and fill it; `tachyphor render` writes how.")
			} else {
				f.trouble(name, err, "")
			}
			continue
		}
		var missing []string
		for _, k := range s.Keys {
			if len(got.Data[k]) == 0 {
				missing = append(missing, k)
			}
		}
		switch {
		case s.Pull && got.Type != corev1.SecretTypeDockerConfigJson && got.Type != corev1.SecretTypeDockercfg:
			f.add(wire.CheckFailed, name, "it is of type "+string(got.Type)+", from which no images are pulled",
				"Make it with kubectl create secret docker-registry.")
		case len(missing) > 0:
			f.add(wire.CheckFailed, name, "it has no "+strings.Join(missing, " and no "), "Fill it; `tachyphor render` writes how.")
		default:
			f.add(wire.CheckPassed, name, "there, with all keys that are named", "")
		}
		for _, k := range s.Keys {
			if v := string(got.Data[k]); strings.TrimSpace(v) != v {
				f.add(wire.CheckFailed, name+" key "+k, "it begins or ends with white space, and will not be taken as a token",
					"Write it again without a line break at its end (printf, not echo).")
			}
		}
	}
}
