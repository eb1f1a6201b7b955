package cluster

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"

	authorizationv1 "k8s.io/api/authorization/v1"
	rbacv1 "k8s.io/api/rbac/v1"
)

// owner is the user behind the kubeconfig's token; it may do everything.
const owner = "owner"

// who returns the user of a request, or the one that it acts as.
func (c *Cluster) who(q *http.Request) (string, bool) {
	if token, ok := strings.CutPrefix(q.Header.Get("Authorization"), "Bearer "); ok && token != c.token {
		return c.accountOf(token)
	} else if !ok {
		return "", false
	}
	if as := q.Header.Get("Impersonate-User"); as != "" {
		return as, true
	}
	return owner, true
}

// into reads an object as its Go type.
func into[T any](o object) T {
	var v T
	b, err := json.Marshal(o)
	if err == nil {
		_ = json.Unmarshal(b, &v) // what does not fit is left out
	}
	return v
}

// holds reports whether a binding is for a user: by name, or by the groups of
// service accounts.
func holds(list []rbacv1.Subject, user string) bool {
	account, isAccount := strings.CutPrefix(user, "system:serviceaccount:")
	namespace, name, _ := strings.Cut(account, ":")
	return slices.ContainsFunc(list, func(s rbacv1.Subject) bool {
		switch s.Kind {
		case rbacv1.ServiceAccountKind:
			return isAccount && s.Name == name && s.Namespace == namespace
		case rbacv1.GroupKind:
			return s.Name == "system:authenticated" ||
				isAccount && (s.Name == "system:serviceaccounts" || s.Name == "system:serviceaccounts:"+namespace)
		default:
			return s.Name == user
		}
	})
}

// rulesFor lists the rules that a user has in a namespace.
func (c *Cluster) rulesFor(user, namespace string) []rbacv1.PolicyRule {
	var out []rbacv1.PolicyRule
	wide := func(name string) {
		if o, ok := c.objects.get(wideRoles, "/"+name); ok {
			out = append(out, into[rbacv1.ClusterRole](o).Rules...)
		}
	}
	all, _ := c.objects.list(bindings, namespace)
	for _, o := range all {
		b := into[rbacv1.RoleBinding](o)
		if namespace == "" || !holds(b.Subjects, user) {
			continue
		}
		if b.RoleRef.Kind == "ClusterRole" {
			wide(b.RoleRef.Name)
		} else if r, ok := c.objects.get(roles, namespace+"/"+b.RoleRef.Name); ok {
			out = append(out, into[rbacv1.Role](r).Rules...)
		}
	}
	all, _ = c.objects.list(wideBinds, "")
	for _, o := range all {
		if b := into[rbacv1.ClusterRoleBinding](o); holds(b.Subjects, user) {
			wide(b.RoleRef.Name)
		}
	}
	return out
}

func (c *Cluster) allowed(user, verb, group, resource, namespace string) bool {
	if user == owner {
		return true
	}
	has := func(list []string, want string) bool {
		return slices.Contains(list, want) || slices.Contains(list, "*")
	}
	return slices.ContainsFunc(c.rulesFor(user, namespace), func(r rbacv1.PolicyRule) bool {
		return has(r.Verbs, verb) && has(r.APIGroups, group) && has(r.Resources, resource)
	})
}

// review answers questions about rights.
func (c *Cluster) review(w http.ResponseWriter, q *http.Request, user string) {
	switch strings.TrimPrefix(q.URL.Path, "/apis/authorization.k8s.io/v1/") {
	case "selfsubjectaccessreviews":
		var r authorizationv1.SelfSubjectAccessReview
		if json.NewDecoder(q.Body).Decode(&r) == nil && r.Spec.ResourceAttributes != nil {
			r.Status.Allowed = c.allowedBy(user, r.Spec.ResourceAttributes)
			answer(w, http.StatusCreated, r)
			return
		}
	case "subjectaccessreviews":
		var r authorizationv1.SubjectAccessReview
		if user == owner && json.NewDecoder(q.Body).Decode(&r) == nil && r.Spec.ResourceAttributes != nil {
			r.Status.Allowed = c.allowedBy(r.Spec.User, r.Spec.ResourceAttributes)
			answer(w, http.StatusCreated, r)
			return
		}
	case "selfsubjectrulesreviews":
		var r authorizationv1.SelfSubjectRulesReview
		if json.NewDecoder(q.Body).Decode(&r) == nil {
			for _, x := range c.rulesFor(user, r.Spec.Namespace) {
				r.Status.ResourceRules = append(r.Status.ResourceRules,
					authorizationv1.ResourceRule{Verbs: x.Verbs, APIGroups: x.APIGroups, Resources: x.Resources})
			}
			answer(w, http.StatusCreated, r)
			return
		}
	}
	failure{http.StatusBadRequest, "BadRequest", "the stand-in does not understand this question", nil}.write(w)
}

func (c *Cluster) allowedBy(user string, a *authorizationv1.ResourceAttributes) bool {
	return c.allowed(user, a.Verb, a.Group, strings.TrimSuffix(a.Resource+"/"+a.Subresource, "/"), a.Namespace)
}
