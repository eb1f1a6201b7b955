package kube

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"tachyphor/core/learn"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/fields"
)

// A Dump is what somebody wrote down of a cluster: pods, what was said of them, and nodes.
type Dump struct {
	Pods   []corev1.Pod
	Events []corev1.Event
	Nodes  []corev1.Node
	AsOf   time.Time // the newest moment in it, or when it was asked for
}

// Read adds what a file holds: lists or single objects, as JSON or YAML, packed or not.
func (d *Dump) Read(data []byte) error {
	before := len(d.Pods) + len(d.Events) + len(d.Nodes)
	if err := learn.Objects(data, d.take); err != nil {
		return err
	}
	if len(d.Pods)+len(d.Events)+len(d.Nodes) == before {
		return errors.New("no pods, events or nodes in it; give what `kubectl get pods,events -o json` writes")
	}
	return nil
}

// take adds an object.
func (d *Dump) take(kind string, text []byte) (err error) {
	switch kind {
	case "Pod":
		var p corev1.Pod
		if err = json.Unmarshal(text, &p); err == nil {
			d.Pods = append(d.Pods, p)
			d.seen(p.CreationTimestamp.Time)
			for _, c := range p.Status.Conditions {
				d.seen(c.LastTransitionTime.Time)
			}
		}
	case "Event":
		var e corev1.Event
		if err = json.Unmarshal(text, &e); err == nil {
			d.Events = append(d.Events, e)
			d.seen(happened(&e))
		}
	case "Node":
		var n corev1.Node
		if err = json.Unmarshal(text, &n); err == nil {
			d.Nodes = append(d.Nodes, n)
		}
	}
	if err != nil {
		return fmt.Errorf("a %s cannot be read: %w", kind, err)
	}
	return nil
}

func (d *Dump) seen(t time.Time) {
	if t.After(d.AsOf) {
		d.AsOf = t
	}
}

// Of returns what the dump says of a pod: what was said of it, and its node if it is there.
func (d *Dump) Of(p *corev1.Pod) (events []corev1.Event, node *corev1.Node) {
	for _, e := range d.Events {
		if o := e.InvolvedObject; o.Kind == "Pod" && o.Name == p.Name && (o.Namespace == p.Namespace || o.Namespace == "") {
			events = append(events, e)
		}
	}
	if i := slices.IndexFunc(d.Nodes, func(n corev1.Node) bool { return n.Name == p.Spec.NodeName }); i >= 0 {
		node = &d.Nodes[i]
	}
	return events, node
}

// Look asks a live cluster for a pod, or for all of a namespace when it is empty, with what
// was said of them and their nodes where those may be looked at.
func (c *Cluster) Look(ctx context.Context, namespace, pod string) (*Dump, error) {
	d := &Dump{AsOf: time.Now()}
	about := metav1.ListOptions{}
	if pod != "" {
		p, err := c.client.CoreV1().Pods(namespace).Get(ctx, pod, metav1.GetOptions{})
		if err != nil {
			return nil, errors.New(words(err))
		}
		d.Pods = []corev1.Pod{*p}
		about.FieldSelector = fields.OneTermEqualSelector("involvedObject.name", pod).String()
	} else {
		list, err := c.client.CoreV1().Pods(namespace).List(ctx, metav1.ListOptions{})
		if err != nil {
			return nil, errors.New(words(err))
		}
		d.Pods = list.Items
	}
	if list, err := c.client.CoreV1().Events(namespace).List(ctx, about); err == nil {
		d.Events = list.Items
	}
	if list, err := c.client.CoreV1().Nodes().List(ctx, metav1.ListOptions{}); err == nil {
		d.Nodes = list.Items
	}
	return d, nil
}
