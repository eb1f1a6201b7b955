package cluster

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"sigs.k8s.io/yaml"
)

// mostBody bounds a request.
const mostBody = 3 << 20

// failure is an answer that says no, as the API server writes it.
type failure struct {
	code            int
	reason, message string
	causes          []any
}

func (f failure) Error() string { return f.message }

func (f failure) write(w http.ResponseWriter) {
	status := object{"kind": "Status", "apiVersion": "v1", "status": "Failure", "message": f.message, "reason": f.reason, "code": f.code}
	if len(f.causes) > 0 {
		status["details"] = object{"causes": f.causes}
	}
	answer(w, f.code, status)
}

func answer(w http.ResponseWriter, code int, o any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(code)
	_ = json.NewEncoder(w).Encode(o)
}

func notFound(r apiResource, name string) failure {
	return failure{http.StatusNotFound, "NotFound", fmt.Sprintf("%s %q not found", r.name, name), nil}
}

// call is one request on a resource.
type call struct {
	res             apiResource
	namespace, name string
	sub, rest       string // subresource, and what follows it
	user            string
}

// find reads a path.
func find(path string) (call, bool) {
	for _, r := range resources {
		rest, ok := strings.CutPrefix(path, r.prefix+"/")
		if !ok {
			continue
		}
		words := strings.Split(rest, "/")
		c := call{res: r}
		if r.namespaced {
			if len(words) == 1 && words[0] == r.name {
				return c, true // in all namespaces
			}
			if len(words) < 3 || words[0] != "namespaces" || words[2] != r.name {
				continue
			}
			c.namespace, words = words[1], words[2:]
		} else if words[0] != r.name || r == namespaces && len(words) > 2 {
			continue
		}
		if len(words) > 1 {
			c.name = words[1]
		}
		if len(words) > 2 {
			c.sub = words[2]
		}
		c.rest = strings.Join(words[min(3, len(words)):], "/")
		return c, true
	}
	return call{}, false
}

// ServeHTTP answers as the API server does, for what agents need.
func (c *Cluster) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	user, ok := c.who(q)
	if !ok {
		failure{http.StatusUnauthorized, "Unauthorized", "Unauthorized", nil}.write(w)
		return
	}
	if q.URL.Path == "/version" {
		answer(w, 200, object{"major": "1", "minor": "37", "gitVersion": Version})
		return
	}
	if q.URL.Path == "/apis/authentication.k8s.io/v1/selfsubjectreviews" {
		answer(w, http.StatusCreated, object{
			"kind": "SelfSubjectReview", "apiVersion": "authentication.k8s.io/v1",
			"status": object{"userInfo": object{"username": user}},
		})
		return
	}
	q.Body = http.MaxBytesReader(w, q.Body, mostBody)
	if strings.HasPrefix(q.URL.Path, "/apis/authorization.k8s.io/v1/") {
		c.review(w, q, user)
		return
	}
	k, ok := find(q.URL.Path)
	if !ok {
		failure{http.StatusNotFound, "NotFound", "the stand-in has no " + q.URL.Path, nil}.write(w)
		return
	}
	k.user = user
	verb := verbOf(q, k)
	resource := strings.TrimSuffix(k.res.name+"/"+k.sub, "/")
	if !c.allowed(user, verb, group(k.res.prefix), resource, k.namespace) {
		failure{http.StatusForbidden, "Forbidden", fmt.Sprintf("%s is forbidden: User %q cannot %s resource %q in API group %q in "+
			"the namespace %q", resource, user, verb, resource, group(k.res.prefix), k.namespace), nil}.write(w)
		return
	}
	if err := c.serve(w, q, k, verb); err != nil {
		f, ok := err.(failure)
		if !ok {
			f = failure{http.StatusBadRequest, "BadRequest", err.Error(), nil}
		}
		f.write(w)
	}
}

func group(prefix string) string {
	words := strings.Split(prefix, "/")
	if len(words) < 4 {
		return ""
	}
	return words[2]
}

func verbOf(q *http.Request, k call) string {
	switch {
	case q.Method == http.MethodGet && q.URL.Query().Get("watch") != "":
		return "watch"
	case q.Method == http.MethodGet && k.name == "":
		return "list"
	case q.Method == http.MethodGet:
		return "get"
	default:
		return map[string]string{
			http.MethodPost: "create", http.MethodPatch: "patch", http.MethodPut: "update",
			http.MethodDelete: "delete",
		}[q.Method]
	}
}

func (c *Cluster) serve(w http.ResponseWriter, q *http.Request, k call, verb string) error {
	key := k.namespace + "/" + k.name
	switch {
	case k.sub == "log":
		return c.kubelet.log(w, key, q.URL.Query().Get("container"))
	case k.res == services && k.sub == "proxy":
		return c.proxy(w, k)
	case k.res.name == "serviceaccounts" && k.sub == "token" && verb == "create":
		return c.giveToken(w, q, k)
	case k.sub != "":
		return failure{http.StatusNotFound, "NotFound", "the stand-in has no " + k.sub, nil}
	}
	switch verb {
	case "get":
		o, ok := c.objects.get(k.res, key)
		if !ok {
			return notFound(k.res, k.name)
		}
		answer(w, 200, o)
	case "list":
		all, version := c.objects.list(k.res, k.namespace)
		items := slices.DeleteFunc(all, func(o object) bool { return !selected(q, o) })
		answer(w, 200, object{
			"kind": k.res.kind + "List", "apiVersion": versionOf(k.res),
			"metadata": object{"resourceVersion": fmt.Sprint(version)}, "items": items,
		})
	case "watch":
		c.stream(w, q, k)
	case "create", "patch", "update":
		return c.write(w, q, k)
	case "delete":
		return c.drop(w, q, k, key)
	}
	return nil
}

func versionOf(r apiResource) string {
	return strings.TrimPrefix(strings.TrimPrefix(r.prefix, "/apis/"), "/api/")
}

// selected holds an object against the selectors of a list or watch: fields by
// name, labels by equality.
func selected(q *http.Request, o object) bool {
	for _, term := range strings.Split(q.URL.Query().Get("fieldSelector"), ",") {
		if path, want, ok := strings.Cut(term, "="); ok && text(o, strings.Split(path, ".")...) != want {
			return false
		}
	}
	labels, _ := meta(o)["labels"].(object)
	for _, term := range strings.Split(q.URL.Query().Get("labelSelector"), ",") {
		if k, want, ok := strings.Cut(term, "="); ok && labels[k] != want {
			return false
		} else if _, has := labels[term]; !ok && term != "" && !has {
			return false
		}
	}
	return true
}

// stream answers a watch.
func (c *Cluster) stream(w http.ResponseWriter, q *http.Request, k call) {
	now, then, stop := c.objects.watch(k.res, k.namespace)
	defer stop()
	w.Header().Set("Content-Type", "application/json")
	enc, flush := json.NewEncoder(w), http.NewResponseController(w)
	for _, o := range now {
		if selected(q, o) {
			_ = enc.Encode(change{Type: "ADDED", Object: o})
		}
	}
	if q.URL.Query().Get("sendInitialEvents") == "true" { // the client asks to hear when it has all there was
		_ = enc.Encode(change{Type: "BOOKMARK", Object: object{
			"kind": k.res.kind, "apiVersion": versionOf(k.res),
			"metadata": object{"resourceVersion": "1", "annotations": object{"k8s.io/initial-events-end": "true"}},
		}})
	}
	_ = flush.Flush()
	for {
		select {
		case <-q.Context().Done():
			return
		case x, ok := <-then:
			if !ok {
				return
			}
			if x.of != k.res || k.namespace != "" && text(x.Object, "metadata", "namespace") != k.namespace || !selected(q, x.Object) {
				continue
			}
			if enc.Encode(x) != nil || flush.Flush() != nil {
				return
			}
		}
	}
}

// write creates or applies an object, or only looks whether it would be taken.
func (c *Cluster) write(w http.ResponseWriter, q *http.Request, k call) error {
	b, err := io.ReadAll(q.Body)
	if err != nil {
		return failure{http.StatusRequestEntityTooLarge, "RequestEntityTooLarge", err.Error(), nil}
	}
	var o object
	if err := yaml.Unmarshal(b, &o); err != nil {
		return err
	}
	m := meta(o)
	if k.res.namespaced {
		m["namespace"] = k.namespace
	}
	if text(o, "metadata", "name") == "" {
		if g := text(o, "metadata", "generateName"); g != "" {
			m["name"] = g + random(3)[:5]
		} else if k.name != "" {
			m["name"] = k.name
		}
	}
	o["kind"], o["apiVersion"] = k.res.kind, versionOf(k.res)
	old, there := c.objects.get(k.res, keyOf(o))
	if there && q.Method == http.MethodPatch {
		o = merged(old, o)
	}
	if k.res == secrets {
		sealed(o)
		c.writeToken(k.namespace, o)
	}
	switch {
	case there && q.Method == http.MethodPost:
		return failure{http.StatusConflict, "AlreadyExists", fmt.Sprintf("%s %q already exists", k.res.name, text(o, "metadata", "name")), nil}
	case k.res.namespaced:
		if _, ok := c.objects.get(namespaces, "/"+k.namespace); !ok {
			return notFound(namespaces, k.namespace)
		}
	}
	if o, err = c.admit(k.res, o); err != nil {
		return err
	}
	if all, _ := c.objects.list(k.res, ""); len(all) >= mostObjects {
		return failure{http.StatusTooManyRequests, "TooManyRequests", "the stand-in is full", nil}
	}
	if q.URL.Query().Get("dryRun") != "All" {
		o = c.objects.put(k.res, o)
		c.kubelet.wake()
	}
	code := http.StatusCreated
	if there {
		code = http.StatusOK
	}
	answer(w, code, o)
	return nil
}

// merged lays a patch over an object, field by field.
func merged(old, patch object) object {
	for k, v := range patch {
		if p, ok := v.(object); ok {
			if o, ok := old[k].(object); ok {
				old[k] = merged(o, p)
				continue
			}
		}
		old[k] = v
	}
	return old
}

// sealed writes a Secret's plain text as the API server keeps it.
func sealed(o object) {
	plain, _ := o["stringData"].(object)
	data, _ := o["data"].(object)
	if data == nil {
		data = object{}
	}
	for k, v := range plain {
		s, _ := v.(string)
		data[k] = base64.StdEncoding.EncodeToString([]byte(s))
	}
	delete(o, "stringData")
	o["data"] = data
}

// drop deletes an object; a pod is asked to go first, and goes when its kubelet is
// done with it.
func (c *Cluster) drop(w http.ResponseWriter, q *http.Request, k call, key string) error {
	o, ok := c.objects.get(k.res, key)
	if !ok {
		return notFound(k.res, k.name)
	}
	var options struct {
		GracePeriodSeconds *int64
	}
	_ = json.NewDecoder(q.Body).Decode(&options) // none is none
	if k.res == pods && (options.GracePeriodSeconds == nil || *options.GracePeriodSeconds > 0) && text(o, "spec", "nodeName") != "" {
		c.kubelet.end(key)
		answer(w, 200, o)
		return nil
	}
	c.objects.remove(k.res, key)
	if k.res == jobsOf {
		c.dropOwned(k.namespace, text(o, "metadata", "uid"))
	}
	answer(w, 200, object{"kind": "Status", "apiVersion": "v1", "status": "Success"})
	return nil
}

// proxy pretends to ask a service's port: it answers when an endpoint is ready.
func (c *Cluster) proxy(w http.ResponseWriter, k call) error {
	name, _, _ := strings.Cut(k.name, ":")
	all, _ := c.objects.list(slicesOf, k.namespace)
	for _, s := range all {
		labels, _ := meta(s)["labels"].(object)
		if ends, _ := s["endpoints"].([]any); labels["kubernetes.io/service-name"] == name && len(ends) > 0 {
			w.WriteHeader(http.StatusOK)
			return nil
		}
	}
	return failure{http.StatusServiceUnavailable, "ServiceUnavailable", fmt.Sprintf("no endpoints available for service %q", name), nil}
}
