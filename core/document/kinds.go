// Package document holds the kinds of documents a person writes: how they are
// read with every fault placed, what may be left out, and their JSON Schemas,
// all from the same Go types.
package document

import corev1 "k8s.io/api/core/v1"

// Version is the apiVersion of the kinds that are ours.
const Version = "tachyphor/v1"

// Meta names a document of ours.
type Meta struct {
	Name        string            `json:"name" doc:"Name, unique within the kind: lower-case letters, digits and dashes."`
	Labels      map[string]string `json:"labels,omitempty" doc:"Labels, kept as they are."`
	Annotations map[string]string `json:"annotations,omitempty" doc:"Annotations, kept as they are."`
}

// A PodTemplate is Kubernetes' own v1 PodTemplate.
type PodTemplate = corev1.PodTemplate
