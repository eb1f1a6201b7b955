package kit

import (
	"strings"

	"tachyphor/core/document"

	appsv1 "k8s.io/api/apps/v1"
	corev1 "k8s.io/api/core/v1"
	rbacv1 "k8s.io/api/rbac/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/util/intstr"
)

// hosted is a controller that lives in the cluster and whose image is known.
type hosted struct {
	name string
	spec document.Controller
	pool *document.Pool // nil: anywhere
}

// hostedOf reads what the kit can render of a controller; nil: it lives elsewhere, or nobody said of what it is made.
func hostedOf(in Input, c *controller) *hosted {
	if in.Cluster == nil || c == nil || !c.Inside {
		return nil
	}
	spec := &in.Cluster.Value.(*document.Cluster).Spec
	if spec.Controller.Image == "" {
		return nil
	}
	h := &hosted{name: c.Name, spec: spec.Controller}
	for i := range spec.Pools {
		if spec.Pools[i].Name == spec.Controller.Pool {
			h.pool = &spec.Pools[i]
		}
	}
	return h
}

const (
	controllerPort = "agents"
	stateVolume    = "state"
	statePath      = "/var/lib/controller"
)

func controllerObjects(f *facts) []object {
	h, c := f.Hosted, f.Controller
	if h == nil {
		return nil
	}
	meta := func(name string) metav1.ObjectMeta { return metav1.ObjectMeta{Name: name, Namespace: c.Namespace} }
	labels := map[string]string{"app.kubernetes.io/name": h.name}
	port := int32(c.Port)
	out := []object{{
		[]string{"The controller's address inside the cluster: " + c.Address + "."},
		corev1.Service{TypeMeta: kind("v1", "Service"), ObjectMeta: meta(h.name), Spec: corev1.ServiceSpec{
			Selector: labels, Ports: []corev1.ServicePort{{Name: controllerPort, Port: port, TargetPort: intstr.FromString(controllerPort)}},
		}},
	}}
	account := Account
	if !f.Shared {
		account = h.name
		out = append(out, object{
			[]string{"Whom it speaks as, with the rights of " + Account + " where agents are."},
			corev1.ServiceAccount{TypeMeta: kind("v1", "ServiceAccount"), ObjectMeta: meta(account)},
		}, object{nil, rbacv1.RoleBinding{
			TypeMeta: kind("rbac.authorization.k8s.io/v1", "RoleBinding"), ObjectMeta: f.meta(h.name),
			Subjects: []rbacv1.Subject{{Kind: "ServiceAccount", Name: account, Namespace: c.Namespace}},
			RoleRef:  rbacv1.RoleRef{APIGroup: "rbac.authorization.k8s.io", Kind: "Role", Name: Account},
		}})
	}
	const user = 1000
	pod, container := Restricted(user)
	pod.FSGroup = new(int64(user)) // its volume is its own to write
	path := statePath
	if v := h.spec.Volume; v != nil && v.Path != "" {
		path = v.Path
	}
	requests := corev1.ResourceList{}
	if h.spec.CPU > 0 {
		requests[corev1.ResourceCPU] = quantityOf(h.spec.CPU.String())
	}
	limits := corev1.ResourceList{}
	if h.spec.Memory > 0 {
		requests[corev1.ResourceMemory] = quantityOf(quantity(h.spec.Memory))
		limits[corev1.ResourceMemory] = requests[corev1.ResourceMemory]
	}
	spec := corev1.PodSpec{
		ServiceAccountName: account, AutomountServiceAccountToken: new(true), // it asks the API server for agents
		SecurityContext: pod,
		Containers: []corev1.Container{{
			Name: "controller", Image: h.spec.Image, Ports: []corev1.ContainerPort{{Name: controllerPort, ContainerPort: port}},
			Resources:       corev1.ResourceRequirements{Requests: requests, Limits: limits},
			ReadinessProbe:  &corev1.Probe{ProbeHandler: corev1.ProbeHandler{TCPSocket: &corev1.TCPSocketAction{Port: intstr.FromString(controllerPort)}}},
			VolumeMounts:    []corev1.VolumeMount{{Name: stateVolume, MountPath: path}},
			SecurityContext: container,
		}},
	}
	if h.pool != nil {
		spec.NodeSelector, spec.Tolerations = h.pool.Labels, tolerated(h.pool.Taints)
	}
	set := appsv1.StatefulSet{
		TypeMeta: kind("apps/v1", "StatefulSet"), ObjectMeta: meta(h.name),
		Spec: appsv1.StatefulSetSpec{
			Replicas: new(int32(1)), ServiceName: h.name, Selector: &metav1.LabelSelector{MatchLabels: labels},
			Template: corev1.PodTemplateSpec{ObjectMeta: metav1.ObjectMeta{Labels: labels}, Spec: spec},
		},
	}
	says := []string{
		"The controller: one, small beside its agents, with requests of its own so that they do not",
		"push it off its node.",
	}
	if h.spec.Keeps() {
		says = append(says, "Its volume stays when its pod or its node goes: jobs, their history and its settings are there", "when it is back.")
		set.Spec.VolumeClaimTemplates = []corev1.PersistentVolumeClaim{{
			ObjectMeta: metav1.ObjectMeta{Name: stateVolume},
			Spec: corev1.PersistentVolumeClaimSpec{
				AccessModes: []corev1.PersistentVolumeAccessMode{corev1.ReadWriteOnce},
				Resources:   corev1.VolumeResourceRequirements{Requests: corev1.ResourceList{corev1.ResourceStorage: quantityOf(quantity(h.spec.Volume.Size))}},
			},
		}}
	} else {
		says = append(says, "WHAT IT KNOWS GOES WITH ITS POD: jobs that wait and jobs at work, their history and its settings.",
			"Say a persistent volume in the cluster's document: spec.controller.volume.")
		empty := &corev1.EmptyDirVolumeSource{}
		if v := h.spec.Volume; v != nil {
			size := quantityOf(quantity(v.Size))
			empty.SizeLimit = &size
		}
		set.Spec.Template.Spec.Volumes = []corev1.Volume{{Name: stateVolume, VolumeSource: corev1.VolumeSource{EmptyDir: empty}}}
	}
	if outside := h.spec.Outside; outside != "" {
		says = append(says, "For people it is "+strings.TrimRight(outside, "/")+", which is not made here.")
	}
	return append(out, object{says, set})
}
