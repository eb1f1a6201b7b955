package kit

import (
	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
)

// Restricted is how a pod and its containers run as a user without any rights on the node: the restricted level
// of the pod security standards takes it.
func Restricted(user int64) (*corev1.PodSecurityContext, *corev1.SecurityContext) {
	return &corev1.PodSecurityContext{
		RunAsNonRoot: new(true), RunAsUser: &user, SeccompProfile: &corev1.SeccompProfile{Type: corev1.SeccompProfileTypeRuntimeDefault},
	}, &corev1.SecurityContext{
		AllowPrivilegeEscalation: new(false), Capabilities: &corev1.Capabilities{Drop: []corev1.Capability{"ALL"}},
	}
}

// tolerated lets a pod onto nodes with a pool's taints.
func tolerated(taints []document.Taint) (out []corev1.Toleration) {
	for _, t := range taints {
		out = append(out, corev1.Toleration{Key: t.Key, Operator: corev1.TolerationOpEqual, Value: t.Value, Effect: corev1.TaintEffect(t.Effect)})
	}
	return out
}
