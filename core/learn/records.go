package learn

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"sync"
	"time"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	"sigs.k8s.io/yaml"
)

// Records are objects of a cluster as its API gives them, of which only what tells facts is
// read.
type Records struct {
	Nodes  []nodeRecord
	Pods   []podRecord
	Events []eventRecord
	Claims []claimRecord
	Zonal  []string       // storage classes whose volumes are made where their pod goes
	Others map[string]int // objects of other kinds, which are passed over
}

// meta is what all objects have.
type meta struct {
	Name              string            `json:"name"`
	Namespace         string            `json:"namespace"`
	UID               string            `json:"uid"`
	CreationTimestamp time.Time         `json:"creationTimestamp"`
	DeletionTimestamp *time.Time        `json:"deletionTimestamp"`
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
		Taints        []corev1.Taint `json:"taints"`
		Unschedulable bool           `json:"unschedulable"`
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
		Phase             string            `json:"phase"`
		StartTime         *time.Time        `json:"startTime"`
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
	Overhead          amounts            `json:"overhead"`
}

type containerStatus struct {
	Name  string `json:"name"`
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
	Source struct {
		Host string `json:"host"`
	} `json:"source"`
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

// ReadRecords reads objects of a cluster from files: lists or single objects, as JSON or YAML,
// several in a file.
func ReadRecords(files []File) (*Records, error) {
	r := &Records{Others: map[string]int{}}
	for _, f := range files {
		if err := r.read(f.Data); err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	if len(r.Nodes)+len(r.Pods)+len(r.Events)+len(r.Claims)+len(r.Zonal) == 0 {
		return nil,
			errors.New("no nodes, pods, events, claims or storage classes in it; give what `kubectl get nodes,pods,events -A -o json` writes")
	}
	return r, nil
}

// read reads one file.
func (r *Records) read(data []byte) error {
	data, _, err := unpacked(data, MostBytes)
	if err != nil {
		return err
	}
	data, _, err = decoded(data, "")
	if err != nil {
		return err
	}
	text := bytes.TrimSpace(data)
	if len(text) == 0 {
		return errors.New("it is empty")
	}
	if text[0] == '{' {
		return r.stream(text)
	}
	for i, part := range bytes.Split(append([]byte("\n"), text...), []byte("\n---")) {
		if len(bytes.TrimSpace(part)) == 0 {
			continue
		}
		j, err := yaml.YAMLToJSON(part)
		if err != nil {
			return fmt.Errorf("document %d is no YAML: %w", i+1, err)
		}
		if err := r.stream(j); err != nil {
			return fmt.Errorf("document %d: %w", i+1, err)
		}
	}
	return nil
}

// An item is an object that is still text.
type item struct {
	kind string
	text json.RawMessage
}

// parts is how many objects are read at once by one worker.
const parts = 64

// stream reads JSON objects, one after the other: lists are taken apart.
func (r *Records) stream(text []byte) error {
	work := make(chan []item, 8)
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
	var batch []item
	give := func(x item) {
		if batch = append(batch, x); len(batch) == parts {
			work <- batch
			batch = nil
		}
	}
	err := split(text, give)
	work <- batch
	close(work)
	wait.Wait()
	return errors.Join(err, broken)
}

// split tells the objects of JSON text; those of lists one by one.
func split(text []byte, give func(item)) error {
	d := json.NewDecoder(bytes.NewReader(text))
	for {
		var top struct {
			Kind  string            `json:"kind"`
			Items []json.RawMessage `json:"items"`
		}
		begin := d.InputOffset()
		err := d.Decode(&top)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("it is no JSON from byte %d on: %w", begin, err)
		}
		if top.Items == nil && !strings.HasSuffix(top.Kind, "List") {
			give(item{top.Kind, text[begin:d.InputOffset()]})
			continue
		}
		for _, x := range top.Items {
			give(item{strings.TrimSuffix(top.Kind, "List"), x})
		}
	}
}

// add takes what another has.
func (r *Records) add(o *Records) {
	r.Nodes, r.Pods, r.Events = append(r.Nodes, o.Nodes...), append(r.Pods, o.Pods...), append(r.Events, o.Events...)
	r.Claims, r.Zonal = append(r.Claims, o.Claims...), append(r.Zonal, o.Zonal...)
	for kind, n := range o.Others {
		r.Others[kind] += n
	}
}

// kindOf is the kind of an object of valid JSON, found without reading the rest of it.
func kindOf(text []byte) string {
	const key = `"kind"`
	depth := 0
	for i := 0; i < len(text); i++ {
		switch text[i] {
		case '{', '[':
			depth++
		case '}', ']':
			depth--
		case '"':
			end := i + 1
			for end < len(text) && text[end] != '"' {
				if text[end] == '\\' {
					end++
				}
				end++
			}
			if depth == 1 && string(text[i:min(end+1, len(text))]) == key {
				rest := bytes.TrimLeft(text[min(end+1, len(text)):], " \t\r\n:")
				if len(rest) > 1 && rest[0] == '"' {
					kind, _, _ := bytes.Cut(rest[1:], []byte{'"'})
					return string(kind)
				}
			}
			i = end
		}
	}
	return ""
}

// take reads one object.
func (r *Records) take(x item) error {
	kind := x.kind
	var err error
	if kind == "" { // of a list of several kinds
		kind = kindOf(x.text)
	}
	switch kind {
	case "Node":
		var n nodeRecord
		if err = json.Unmarshal(x.text, &n); err == nil {
			r.Nodes = append(r.Nodes, n)
		}
	case "Pod":
		var p podRecord
		if err = json.Unmarshal(x.text, &p); err == nil {
			r.Pods = append(r.Pods, p)
		}
	case "Event":
		var e eventRecord
		if err = json.Unmarshal(x.text, &e); err == nil {
			r.Events = append(r.Events, e)
		}
	case "PersistentVolumeClaim":
		var c claimRecord
		if err = json.Unmarshal(x.text, &c); err == nil {
			r.Claims = append(r.Claims, c)
		}
	case "StorageClass":
		var s struct {
			Metadata          meta   `json:"metadata"`
			VolumeBindingMode string `json:"volumeBindingMode"`
		}
		if err = json.Unmarshal(x.text, &s); err == nil && s.VolumeBindingMode == "WaitForFirstConsumer" {
			r.Zonal = append(r.Zonal, s.Metadata.Name)
		}
	default:
		r.Others[kind]++
	}
	if err != nil {
		return fmt.Errorf("a %s cannot be read: %w", kind, err)
	}
	return nil
}
