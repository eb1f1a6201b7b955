package kit

import (
	corev1 "k8s.io/api/core/v1"
	rbacv1 "k8s.io/api/rbac/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// PartShards are the rights of a service that has runs computed by pods of a Job.
const PartShards = "shards"

// ShardsAccount is the service account of such a service.
const ShardsAccount = "tachyphor"

// shardsRules are what it may do, in one namespace and nowhere else.
var shardsRules = []rbacv1.PolicyRule{
	{APIGroups: []string{"batch"}, Resources: []string{"jobs"}, Verbs: []string{"create", "get", "list", "delete"}},
	{APIGroups: []string{""}, Resources: []string{"secrets"}, Verbs: []string{"create"}},
	{APIGroups: []string{""}, Resources: []string{"pods", "events"}, Verbs: []string{"list"}},
}

// Shards writes the rights that a service needs to have runs computed in a namespace.
func Shards(namespace string) ([]Manifest, error) {
	if err := label("the namespace", namespace); err != nil {
		return nil, err
	}
	meta := metav1.ObjectMeta{Name: ShardsAccount, Namespace: namespace}
	text, err := written([]object{
		{
			[]string{"Whom the service speaks as. Pods of its Jobs run without any account's token."},
			corev1.ServiceAccount{TypeMeta: kind("v1", "ServiceAccount"), ObjectMeta: meta, AutomountServiceAccountToken: new(bool)},
		},
		{
			[]string{
				"What it may do, in this namespace and nowhere else: make Jobs, see how they stand, take",
				"them away; put the Secret there with which their pods ask the service, but read none;",
				"and see why pods do not come up.",
			},
			rbacv1.Role{TypeMeta: kind("rbac.authorization.k8s.io/v1", "Role"), ObjectMeta: meta, Rules: shardsRules},
		},
		{nil, rbacv1.RoleBinding{
			TypeMeta: kind("rbac.authorization.k8s.io/v1", "RoleBinding"), ObjectMeta: meta,
			Subjects: []rbacv1.Subject{{Kind: "ServiceAccount", Name: ShardsAccount, Namespace: namespace}},
			RoleRef:  rbacv1.RoleRef{APIGroup: "rbac.authorization.k8s.io", Kind: "Role", Name: ShardsAccount},
		}},
	})
	return []Manifest{{"shards.yaml", PartShards, "what a service may do that has runs computed by pods", text}}, err
}
