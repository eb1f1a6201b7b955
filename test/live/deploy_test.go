package live

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	appsv1 "k8s.io/api/apps/v1"
	corev1 "k8s.io/api/core/v1"
	networkingv1 "k8s.io/api/networking/v1"
	policyv1 "k8s.io/api/policy/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/runtime/schema"
	"k8s.io/client-go/dynamic"
	"sigs.k8s.io/kustomize/api/krusty"
	"sigs.k8s.io/kustomize/api/types"
	"sigs.k8s.io/kustomize/kyaml/filesys"
	"sigs.k8s.io/yaml"
)

// deployed are the kinds of what is deployed, as clusters know them.
var deployed = map[string]struct {
	gvr  schema.GroupVersionResource
	into func() any
}{
	"Namespace":           {schema.GroupVersionResource{Version: "v1", Resource: "namespaces"}, func() any { return new(corev1.Namespace) }},
	"ServiceAccount":      {schema.GroupVersionResource{Version: "v1", Resource: "serviceaccounts"}, func() any { return new(corev1.ServiceAccount) }},
	"Service":             {schema.GroupVersionResource{Version: "v1", Resource: "services"}, func() any { return new(corev1.Service) }},
	"Secret":              {schema.GroupVersionResource{Version: "v1", Resource: "secrets"}, func() any { return new(corev1.Secret) }},
	"StatefulSet":         {schema.GroupVersionResource{Group: "apps", Version: "v1", Resource: "statefulsets"}, func() any { return new(appsv1.StatefulSet) }},
	"NetworkPolicy":       {schema.GroupVersionResource{Group: "networking.k8s.io", Version: "v1", Resource: "networkpolicies"}, func() any { return new(networkingv1.NetworkPolicy) }},
	"PodDisruptionBudget": {schema.GroupVersionResource{Group: "policy", Version: "v1", Resource: "poddisruptionbudgets"}, func() any { return new(policyv1.PodDisruptionBudget) }},
}

// built is an overlay of the manifests, put together as kubectl does, with the example of its settings; more are
// components beside its own.
func built(t *testing.T, overlay string, more ...string) []string {
	t.Helper()
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS("../../deploy/kubernetes")); err != nil {
		t.Fatal(err)
	}
	at := filepath.Join(dir, "overlays", overlay)
	b, err := os.ReadFile(filepath.Join(at, "database.env.example"))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(at, "database.env"), b, 0o600); err != nil {
		t.Fatal(err)
	}
	if len(more) > 0 {
		file := filepath.Join(at, "kustomization.yaml")
		var k types.Kustomization
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if err := yaml.UnmarshalStrict(b, &k); err != nil {
			t.Fatal(err)
		}
		k.Components = append(k.Components, more...)
		if b, err = yaml.Marshal(k); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	all, err := krusty.MakeKustomizer(krusty.MakeDefaultOptions()).Run(filesys.MakeFsOnDisk(), at)
	if err != nil {
		t.Fatal(err)
	}
	text, err := all.AsYaml()
	if err != nil {
		t.Fatal(err)
	}
	return strings.Split(string(text), "\n---\n")
}

// read reads one of them strictly: a field that there is not is a fault.
func read(t *testing.T, text string) any {
	t.Helper()
	var head metav1.TypeMeta
	if err := yaml.Unmarshal([]byte(text), &head); err != nil {
		t.Fatal(err)
	}
	kind, ok := deployed[head.Kind]
	if !ok {
		t.Fatalf("a %s is deployed", head.Kind)
	}
	o := kind.into()
	if err := yaml.UnmarshalStrict([]byte(text), o); err != nil {
		t.Errorf("%s: %v\n%s", head.Kind, err, text)
	}
	return o
}

// The manifests are whole: each overlay builds, every field is one that Kubernetes has, what is selected is there,
// and containers are as little trusted as can be.
func TestManifests(t *testing.T) {
	for overlay, want := range map[string]int{"own-database": 10, "given-database": 7} {
		list := built(t, overlay, "../../rights")
		if len(list) != want {
			t.Errorf("%s: %d objects, not %d", overlay, len(list), want)
		}
		var pods []map[string]string
		var selectors []*metav1.LabelSelector
		for _, text := range list {
			switch o := read(t, text).(type) {
			case *appsv1.StatefulSet:
				pods = append(pods, o.Spec.Template.Labels)
				selectors = append(selectors, o.Spec.Selector)
				for _, c := range o.Spec.Template.Spec.Containers {
					s := c.SecurityContext
					if !*s.ReadOnlyRootFilesystem || *s.AllowPrivilegeEscalation || !slices.Contains(s.Capabilities.Drop, "ALL") ||
						c.Resources.Requests.Memory().IsZero() || c.Resources.Limits.Memory().IsZero() || c.ReadinessProbe == nil || c.LivenessProbe == nil {
						t.Errorf("%s: container %s of %s", overlay, c.Name, o.Name)
					}
				}
				if s := o.Spec.Template.Spec.SecurityContext; !*s.RunAsNonRoot || *s.RunAsUser == 0 || s.SeccompProfile == nil {
					t.Errorf("%s: %s runs as someone", overlay, o.Name)
				}
				if args := o.Spec.Template.Spec.Containers[0].Args; o.Name == "tachyphor" && (!slices.Contains(args, "--in-cluster") ||
					!slices.Contains(args, "--pods-in=builds") || !*o.Spec.Template.Spec.AutomountServiceAccountToken) {
					t.Errorf("%s with rights: %v", overlay, args)
				}
			case *networkingv1.NetworkPolicy:
				selectors = append(selectors, &o.Spec.PodSelector)
			case *policyv1.PodDisruptionBudget:
				selectors = append(selectors, o.Spec.Selector)
			case *corev1.Service:
				selectors = append(selectors, &metav1.LabelSelector{MatchLabels: o.Spec.Selector})
			}
		}
		for _, s := range selectors {
			is, err := metav1.LabelSelectorAsMap(s)
			if err != nil {
				t.Fatal(err)
			}
			if !slices.ContainsFunc(pods, func(labels map[string]string) bool {
				for k, v := range is {
					if labels[k] != v {
						return false
					}
				}
				return len(is) > 0
			}) {
				t.Errorf("%s: %v selects no pod", overlay, is)
			}
		}
	}
}

// A real control plane takes the manifests, and pods of them where only the least trusted may be.
func TestManifestsOnAControlPlane(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		if !p.real {
			t.Skip("the stand-in knows no such kinds")
		}
		ctx := context.Background()
		d, err := dynamic.NewForConfig(p.config)
		if err != nil {
			t.Fatal(err)
		}
		force := true
		for _, text := range built(t, "own-database") {
			var head struct {
				metav1.TypeMeta   `json:",inline"`
				metav1.ObjectMeta `json:"metadata"`
			}
			if err := yaml.Unmarshal([]byte(text), &head); err != nil {
				t.Fatal(err)
			}
			b, err := yaml.YAMLToJSON([]byte(text))
			if err != nil {
				t.Fatal(err)
			}
			o := metav1.PatchOptions{FieldManager: "test", Force: &force, FieldValidation: metav1.FieldValidationStrict}
			of := dynamic.ResourceInterface(d.Resource(deployed[head.Kind].gvr))
			if head.Kind != "Namespace" {
				of = d.Resource(deployed[head.Kind].gvr).Namespace(head.Namespace)
			}
			if _, err := of.Patch(ctx, head.Name, "application/apply-patch+yaml", b, o); err != nil {
				t.Errorf("%s %s: %v", head.Kind, head.Name, err)
			}
			if set, ok := read(t, text).(*appsv1.StatefulSet); ok {
				pod := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: "try-" + set.Name, Labels: set.Spec.Template.Labels}, Spec: set.Spec.Template.Spec}
				pod.Spec.ServiceAccountName = "" // which is made by now, or soon
				for _, claim := range set.Spec.VolumeClaimTemplates {
					pod.Spec.Volumes = append(pod.Spec.Volumes, corev1.Volume{Name: claim.Name, VolumeSource: corev1.VolumeSource{
						PersistentVolumeClaim: &corev1.PersistentVolumeClaimVolumeSource{ClaimName: claim.Name},
					}})
				}
				eventually(t, "the namespace's account", func() bool {
					_, err := p.client.CoreV1().ServiceAccounts(head.Namespace).Get(ctx, "default", metav1.GetOptions{})
					return err == nil
				})
				if _, err := p.client.CoreV1().Pods(head.Namespace).Create(ctx, pod, metav1.CreateOptions{DryRun: []string{metav1.DryRunAll}}); err != nil {
					t.Errorf("a pod of %s: %v", set.Name, err)
				}
			}
		}
	})
}
