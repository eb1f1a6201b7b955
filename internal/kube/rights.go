package kube

import (
	"context"
	"slices"
	"strings"

	"tachyphor/core/kit"
	"tachyphor/wire"

	authenticationv1 "k8s.io/api/authentication/v1"
	authorizationv1 "k8s.io/api/authorization/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes"
)

// rights asks for each right whether the account has it: as the account itself
// where this connection may act as it, otherwise by asking about it.
func (f *flight) rights(ctx context.Context) {
	for _, r := range kit.Rights {
		for _, verb := range r.Verbs {
			resource := strings.TrimSuffix(r.Resource+"/"+r.Subresource, "/")
			name := kit.Account + " may " + verb + " " + resource
			allowed, reason, err := f.may(ctx, &authorizationv1.ResourceAttributes{
				Namespace: f.namespace, Verb: verb, Version: "v1", Resource: r.Resource, Subresource: r.Subresource,
			})
			switch {
			case err != nil:
				f.trouble(name, err, "")
			case allowed:
				f.add(wire.CheckPassed, name, "in namespace "+f.namespace, "")
			default:
				says := "no"
				if reason != "" {
					says += ": " + reason
				}
				f.add(wire.CheckFailed, name, says, "Give the right to service account "+kit.Account+
					": apply the kit's role and binding again (rights.yaml).")
			}
		}
	}
}

// account is the user name of the service account that makes agents.
func (f *flight) account() string {
	return "system:serviceaccount:" + f.namespace + ":" + kit.Account
}

// self returns a connection that acts as the account: this one where it is the
// account's own, as it is for a controller in the cluster, or one that acts in its
// name.
func (f *flight) self(ctx context.Context) (kubernetes.Interface, error) {
	me, err := f.client.AuthenticationV1().SelfSubjectReviews().Create(ctx, &authenticationv1.SelfSubjectReview{}, metav1.CreateOptions{})
	if err == nil && me.Status.UserInfo.Username == f.account() {
		return f.client, nil
	}
	return f.as(f.account())
}

// may asks whether the account may do something.
func (f *flight) may(ctx context.Context, what *authorizationv1.ResourceAttributes) (allowed bool, reason string, err error) {
	self, err := f.self(ctx)
	if err != nil {
		return false, "", err
	}
	own, err := self.AuthorizationV1().SelfSubjectAccessReviews().Create(ctx, &authorizationv1.SelfSubjectAccessReview{
		Spec: authorizationv1.SelfSubjectAccessReviewSpec{ResourceAttributes: what},
	}, metav1.CreateOptions{})
	if err == nil {
		return own.Status.Allowed, own.Status.Reason, nil
	}
	if !apierrors.IsForbidden(err) {
		return false, "", err
	}
	about, err := f.client.AuthorizationV1().SubjectAccessReviews().Create(ctx, &authorizationv1.SubjectAccessReview{
		Spec: authorizationv1.SubjectAccessReviewSpec{
			User: f.account(), Groups: []string{"system:serviceaccounts", "system:serviceaccounts:" + f.namespace, "system:authenticated"},
			ResourceAttributes: what,
		},
	}, metav1.CreateOptions{})
	if err != nil {
		return false, "", err
	}
	return about.Status.Allowed, about.Status.Reason, nil
}

// everyone's are the resources on which every signed-in user has some right, as
// the API server is made: asking about oneself.
var everyones = []string{"selfsubjectaccessreviews", "selfsubjectrulesreviews", "selfsubjectreviews"}

// nothingMore looks for rights that the account has beyond what it needs.
func (f *flight) nothingMore(ctx context.Context) {
	const name = kit.Account + " may do nothing else"
	self, err := f.self(ctx)
	if err != nil {
		f.trouble(name, err, "")
		return
	}
	review, err := self.AuthorizationV1().SelfSubjectRulesReviews().Create(ctx, &authorizationv1.SelfSubjectRulesReview{
		Spec: authorizationv1.SelfSubjectRulesReviewSpec{Namespace: f.namespace},
	}, metav1.CreateOptions{})
	if err != nil {
		f.trouble(name, err, "")
		return
	}
	var more []string
	for _, r := range review.Status.ResourceRules {
		for _, resource := range r.Resources {
			if slices.Contains(everyones, resource) || strings.HasPrefix(resource, "clustertrustbundle") {
				continue
			}
			for _, verb := range r.Verbs {
				if !needed(r.APIGroups, resource, verb) {
					more = append(more, verb+" "+resource)
				}
			}
		}
	}
	slices.Sort(more)
	more = slices.Compact(more)
	switch {
	case len(more) > 0:
		shown := more[:min(len(more), 6)]
		says := "it may also " + strings.Join(shown, ", ")
		if len(more) > len(shown) {
			says += " and more"
		}
		f.add(wire.CheckFailed, name, says, "Take away the other roles that are bound to it, or to every service account: kubectl "+
			"get rolebindings,clusterrolebindings -A -o wide")
	case review.Status.Incomplete:
		f.add(wire.CheckUnclear, name, "the cluster cannot list every right: "+review.Status.EvaluationError,
			"Look at what else decides about rights in this cluster.")
	default:
		f.add(wire.CheckPassed, name, "in namespace "+f.namespace+", or in all", "")
	}
}

// needed reports whether a right is one of the kit's.
func needed(groups []string, resource, verb string) bool {
	if !slices.Equal(groups, []string{""}) {
		return false
	}
	return slices.ContainsFunc(kit.Rights, func(r kit.Right) bool {
		return strings.TrimSuffix(r.Resource+"/"+r.Subresource, "/") == resource && slices.Contains(r.Verbs, verb)
	})
}
