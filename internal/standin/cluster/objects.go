package cluster

import (
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// object is an API object as JSON has it.
type object = map[string]any

// An apiResource is one kind of object and where it is served.
type apiResource struct {
	prefix, name, kind string // as in /apis/rbac.authorization.k8s.io/v1, roles, Role
	namespaced         bool
}

var (
	namespaces = apiResource{"/api/v1", "namespaces", "Namespace", false}
	nodes      = apiResource{"/api/v1", "nodes", "Node", false}
	pods       = apiResource{"/api/v1", "pods", "Pod", true}
	events     = apiResource{"/api/v1", "events", "Event", true}
	secrets    = apiResource{"/api/v1", "secrets", "Secret", true}
	quotas     = apiResource{"/api/v1", "resourcequotas", "ResourceQuota", true}
	ranges     = apiResource{"/api/v1", "limitranges", "LimitRange", true}
	services   = apiResource{"/api/v1", "services", "Service", true}
	slicesOf   = apiResource{"/apis/discovery.k8s.io/v1", "endpointslices", "EndpointSlice", true}
	jobsOf     = apiResource{"/apis/batch/v1", "jobs", "Job", true}
	roles      = apiResource{"/apis/rbac.authorization.k8s.io/v1", "roles", "Role", true}
	bindings   = apiResource{"/apis/rbac.authorization.k8s.io/v1", "rolebindings", "RoleBinding", true}
	wideRoles  = apiResource{"/apis/rbac.authorization.k8s.io/v1", "clusterroles", "ClusterRole", false}
	wideBinds  = apiResource{"/apis/rbac.authorization.k8s.io/v1", "clusterrolebindings", "ClusterRoleBinding", false}
)

var resources = []apiResource{
	namespaces, nodes, pods, events, secrets, quotas, ranges, services, slicesOf, jobsOf, roles, bindings, wideRoles, wideBinds,
	{"/api/v1", "serviceaccounts", "ServiceAccount", true},
	{"/api/v1", "podtemplates", "PodTemplate", true},
	{"/api/v1", "persistentvolumeclaims", "PersistentVolumeClaim", true},
	{"/api/v1", "persistentvolumes", "PersistentVolume", false},
	{"/apis/storage.k8s.io/v1", "storageclasses", "StorageClass", false},
	{"/apis/networking.k8s.io/v1", "networkpolicies", "NetworkPolicy", true},
	{"/apis/apps/v1", "daemonsets", "DaemonSet", true},
	{"/apis/apps/v1", "statefulsets", "StatefulSet", true},
}

// mostObjects bounds what the stand-in keeps of one resource.
const mostObjects = 10_000

// change is one line of a watch.
type change struct {
	Type   string `json:"type"`
	Object object `json:"object"`
	of     apiResource
}

// objects are all objects, and those who watch them.
type objects struct {
	mu       sync.Mutex
	version  int
	all      map[apiResource]map[string]object // by namespace/name
	watchers map[chan change]struct{}
}

func newObjects() *objects {
	return &objects{all: map[apiResource]map[string]object{}, watchers: map[chan change]struct{}{}}
}

func meta(o object) object {
	m, _ := o["metadata"].(object)
	if m == nil {
		m = object{}
		o["metadata"] = m
	}
	return m
}

func text(o object, path ...string) string {
	for _, p := range path[:len(path)-1] {
		o, _ = o[p].(object)
	}
	s, _ := o[path[len(path)-1]].(string)
	return s
}

func keyOf(o object) string {
	return text(o, "metadata", "namespace") + "/" + text(o, "metadata", "name")
}

// clone copies an object so that nobody changes what is kept.
func clone(o object) object {
	b, err := json.Marshal(o)
	if err != nil {
		panic("standin: " + err.Error()) // it came from JSON
	}
	var out object
	if err := json.Unmarshal(b, &out); err != nil {
		panic("standin: " + err.Error())
	}
	return out
}

func random(n int) string {
	b := make([]byte, n)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// put keeps an object, new or changed, and tells those who watch.
func (s *objects) put(r apiResource, o object) object {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.keep(r, o)
}

func (s *objects) keep(r apiResource, o object) object {
	o = clone(o)
	if s.all[r] == nil {
		s.all[r] = map[string]object{}
	}
	m := meta(o)
	what := "ADDED"
	if old, ok := s.all[r][keyOf(o)]; ok {
		what = "MODIFIED"
		m["uid"], m["creationTimestamp"] = meta(old)["uid"], meta(old)["creationTimestamp"]
	} else {
		m["uid"], m["creationTimestamp"] = random(16), time.Now().UTC().Format(time.RFC3339)
	}
	s.version++
	m["resourceVersion"] = strconv.Itoa(s.version)
	s.all[r][keyOf(o)] = o
	s.tell(change{what, o, r})
	return clone(o)
}

// edit changes an object that is there; f may say no.
func (s *objects) edit(r apiResource, key string, f func(object) bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	old, ok := s.all[r][key]
	if !ok {
		return
	}
	if o := clone(old); f(o) {
		s.keep(r, o)
	}
}

func (s *objects) get(r apiResource, key string) (object, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	o, ok := s.all[r][key]
	if !ok {
		return nil, false
	}
	return clone(o), true
}

func (s *objects) remove(r apiResource, key string) (object, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	o, ok := s.all[r][key]
	if ok {
		delete(s.all[r], key)
		s.version++
		gone := clone(o)
		meta(gone)["resourceVersion"] = strconv.Itoa(s.version)
		s.tell(change{"DELETED", gone, r})
	}
	return o, ok
}

// list returns the objects of a namespace, all for none, by name.
func (s *objects) list(r apiResource, namespace string) (all []object, version int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.those(r, namespace), s.version
}

// those are the objects of a namespace, while nothing changes.
func (s *objects) those(r apiResource, namespace string) []object {
	all := []object{}
	for _, key := range slices.Sorted(maps.Keys(s.all[r])) {
		if namespace == "" || strings.HasPrefix(key, namespace+"/") {
			all = append(all, clone(s.all[r][key]))
		}
	}
	return all
}

// tell passes a change on; who does not keep up loses its watch and opens another.
func (s *objects) tell(c change) {
	for w := range s.watchers {
		select {
		case w <- c:
		default:
			delete(s.watchers, w)
			close(w)
		}
	}
}

// watch returns what is there and what changes from then on, with nothing lost between.
func (s *objects) watch(r apiResource, namespace string) (now []object, then chan change, stop func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	then = make(chan change, 256)
	s.watchers[then] = struct{}{}
	return s.those(r, namespace), then, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		if _, ok := s.watchers[then]; ok {
			delete(s.watchers, then)
			close(then)
		}
	}
}
