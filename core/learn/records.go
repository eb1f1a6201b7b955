package learn

import (
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"sync"
	"time"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// Records are objects of a cluster as its API gives them, of which only what tells facts is
// read.
type Records struct {
	Nodes   []nodeRecord
	Pods    []podRecord
	Events  []eventRecord
	Claims  []claimRecord
	Volumes []volumeRecord
	Classes []classRecord
	Quotas  []quotaRecord
	Limits  []limitsRecord
	Others  map[string]int // objects of other kinds, which are passed over
}

// meta is what all objects have.
type meta struct {
	Name              string            `json:"name"`
	Namespace         string            `json:"namespace"`
	CreationTimestamp time.Time         `json:"creationTimestamp"`
	Labels            map[string]string `json:"labels"`
	OwnerReferences   []struct {
		Kind string `json:"kind"`
		Name string `json:"name"`
	} `json:"ownerReferences"`
}

// owner is the kind and name of what made an object.
func (m *meta) owner() (kind, name string) {
	if len(m.OwnerReferences) == 0 {
		return "", ""
	}
	return m.OwnerReferences[0].Kind, m.OwnerReferences[0].Name
}

type amounts map[corev1.ResourceName]resource.Quantity

type condition struct {
	Type               string    `json:"type"`
	Status             string    `json:"status"`
	LastTransitionTime time.Time `json:"lastTransitionTime"`
}

type nodeRecord struct {
	Metadata meta `json:"metadata"`
	Spec     struct {
		Taints []corev1.Taint `json:"taints"`
	} `json:"spec"`
	Status struct {
		Capacity    amounts     `json:"capacity"`
		Allocatable amounts     `json:"allocatable"`
		Conditions  []condition `json:"conditions"`
		Images      []struct {
			Names     []string `json:"names"`
			SizeBytes int64    `json:"sizeBytes"`
		} `json:"images"`
	} `json:"status"`
}

type podRecord struct {
	Metadata meta        `json:"metadata"`
	Spec     podSpecLite `json:"spec"`
	Status   struct {
		Conditions        []condition       `json:"conditions"`
		ContainerStatuses []containerStatus `json:"containerStatuses"`
	} `json:"status"`
}

type podSpecLite struct {
	NodeName          string             `json:"nodeName"`
	RestartPolicy     string             `json:"restartPolicy"`
	PriorityClassName string             `json:"priorityClassName"`
	Priority          *int32             `json:"priority"`
	Containers        []corev1.Container `json:"containers"`
	InitContainers    []corev1.Container `json:"initContainers"`
}

type containerStatus struct {
	State struct {
		Running *struct {
			StartedAt time.Time `json:"startedAt"`
		} `json:"running"`
		Terminated *struct {
			StartedAt time.Time `json:"startedAt"`
		} `json:"terminated"`
	} `json:"state"`
}

// began is when the container began; zero: it has not.
func (s *containerStatus) began() time.Time {
	switch {
	case s.State.Running != nil:
		return s.State.Running.StartedAt
	case s.State.Terminated != nil:
		return s.State.Terminated.StartedAt
	}
	return time.Time{}
}

type reference struct {
	Kind, Namespace, Name string
}

type eventRecord struct {
	Reason         string     `json:"reason"`
	Message        string     `json:"message"`
	Note           string     `json:"note"`
	InvolvedObject reference  `json:"involvedObject"`
	Regarding      reference  `json:"regarding"`
	FirstTimestamp *time.Time `json:"firstTimestamp"`
	EventTime      *time.Time `json:"eventTime"`
	Metadata       struct {
		CreationTimestamp time.Time `json:"creationTimestamp"`
	} `json:"metadata"`
}

// about is what the event is about.
func (e *eventRecord) about() reference {
	if e.Regarding.Name != "" {
		return e.Regarding
	}
	return e.InvolvedObject
}

// says is what the event says.
func (e *eventRecord) says() string {
	if e.Note != "" {
		return e.Note
	}
	return e.Message
}

// at is when it happened first.
func (e *eventRecord) at() time.Time {
	switch {
	case e.EventTime != nil && !e.EventTime.IsZero():
		return *e.EventTime
	case e.FirstTimestamp != nil && !e.FirstTimestamp.IsZero():
		return *e.FirstTimestamp
	}
	return e.Metadata.CreationTimestamp
}

type claimRecord struct {
	Metadata meta `json:"metadata"`
	Spec     struct {
		AccessModes []string `json:"accessModes"`
		Resources   struct {
			Requests amounts `json:"requests"`
		} `json:"resources"`
	} `json:"spec"`
}

type volumeRecord struct {
	Metadata meta `json:"metadata"`
	Spec     struct {
		StorageClassName string                     `json:"storageClassName"`
		NodeAffinity     *corev1.VolumeNodeAffinity `json:"nodeAffinity"`
	} `json:"spec"`
}

// classRecord is a storage class.
type classRecord struct {
	Metadata          meta                          `json:"metadata"`
	AllowedTopologies []corev1.TopologySelectorTerm `json:"allowedTopologies"`
}

type quotaRecord struct {
	Metadata meta                     `json:"metadata"`
	Spec     corev1.ResourceQuotaSpec `json:"spec"`
}

type limitsRecord struct {
	Metadata meta                  `json:"metadata"`
	Spec     corev1.LimitRangeSpec `json:"spec"`
}

// ReadRecords reads objects of a cluster from files: lists or single objects, as JSON or YAML,
// several in a file.
func ReadRecords(files []File) (*Records, error) {
	r := &Records{Others: map[string]int{}}
	for _, f := range files {
		if err := r.read(f.Data); err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	if len(r.Nodes)+len(r.Pods)+len(r.Events)+len(r.Claims)+len(r.Volumes)+len(r.Classes)+len(r.Quotas)+len(r.Limits) == 0 {
		return nil, errors.New("no nodes, pods, events or the like in it; give what `kubectl get nodes,pods,events,pvc,pv,quota,limits -A -o json` writes")
	}
	return r, nil
}

// An object is one that is still text.
type object struct {
	kind string
	text []byte
}

// together is how many objects are read at once by one worker.
const together = 64

// read reads one file.
func (r *Records) read(data []byte) error {
	work := make(chan []object, 8)
	var mu sync.Mutex
	var wait sync.WaitGroup
	var broken error
	for range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			for list := range work {
				own := &Records{Others: map[string]int{}}
				var err error
				for _, x := range list {
					if err == nil {
						err = own.take(x)
					}
				}
				mu.Lock()
				r.add(own)
				if err != nil && broken == nil {
					broken = err
				}
				mu.Unlock()
			}
		})
	}
	var batch []object
	err := Objects(data, func(kind string, text []byte) error {
		if batch = append(batch, object{kind, text}); len(batch) == together {
			work <- batch
			batch = nil
		}
		return nil
	})
	work <- batch
	close(work)
	wait.Wait()
	return errors.Join(err, broken)
}

// add takes what another has.
func (r *Records) add(o *Records) {
	r.Nodes, r.Pods, r.Events = append(r.Nodes, o.Nodes...), append(r.Pods, o.Pods...), append(r.Events, o.Events...)
	r.Claims, r.Volumes = append(r.Claims, o.Claims...), append(r.Volumes, o.Volumes...)
	r.Classes = append(r.Classes, o.Classes...)
	r.Quotas, r.Limits = append(r.Quotas, o.Quotas...), append(r.Limits, o.Limits...)
	for kind, n := range o.Others {
		r.Others[kind] += n
	}
}

// take reads one object.
func (r *Records) take(x object) (err error) {
	switch x.kind {
	case "Node":
		err = into(x, &r.Nodes)
	case "Pod":
		err = into(x, &r.Pods)
	case "Event":
		err = into(x, &r.Events)
	case "PersistentVolumeClaim":
		err = into(x, &r.Claims)
	case "PersistentVolume":
		err = into(x, &r.Volumes)
	case "StorageClass":
		err = into(x, &r.Classes)
	case "ResourceQuota":
		err = into(x, &r.Quotas)
	case "LimitRange":
		err = into(x, &r.Limits)
	default:
		r.Others[x.kind]++
	}
	return err
}

// into reads one object behind those of its kind.
func into[T any](x object, list *[]T) error {
	var one T
	if err := json.Unmarshal(x.text, &one); err != nil {
		return fmt.Errorf("a %s cannot be read: %w", x.kind, err)
	}
	*list = append(*list, one)
	return nil
}
