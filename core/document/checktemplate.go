package document

import (
	"fmt"
	"strconv"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/util/validation"
)

func (c checker) podTemplate(p *PodTemplate) {
	spec := p.Template.Spec
	if p.Namespace != "" && len(validation.IsDNS1123Label(p.Namespace)) > 0 {
		c.at("metadata.namespace", strconv.Quote(clip(p.Namespace)),
			"expected the name of a namespace: small letters, digits and dashes, at most 63")
	}
	if name := spec.ServiceAccountName; name != "" && len(validation.IsDNS1123Subdomain(name)) > 0 {
		c.at("template.spec.serviceAccountName", strconv.Quote(clip(name)),
			"expected the name of a service account: small letters, digits, dashes and dots")
	}
	c.secrets(&spec)
	if len(spec.Containers) == 0 {
		c.at("template.spec.containers", "none", "a template needs at least one container, its agent")
	}
	c.unique("template.spec.containers", len(spec.Containers), func(i int) string { return spec.Containers[i].Name })
	for i, k := range spec.Containers {
		path := fmt.Sprintf("template.spec.containers[%d]", i)
		for r, q := range k.Resources.Requests {
			if q.Sign() < 0 {
				c.at(path+".resources.requests."+string(r), q.String(), "must not be negative")
			}
		}
		if k.Image == "" {
			c.at(path+".image", "none", "a container needs an image")
		}
	}
}

// secrets holds the names of the Secrets that a pod names against what Kubernetes takes.
func (c checker) secrets(spec *corev1.PodSpec) {
	named := func(path, name string) {
		if name != "" && len(validation.IsDNS1123Subdomain(name)) > 0 {
			c.at("template.spec."+path, strconv.Quote(clip(name)), "expected the name of a Secret: small letters, digits, dashes and dots")
		}
	}
	for i, s := range spec.ImagePullSecrets {
		named(fmt.Sprintf("imagePullSecrets[%d].name", i), s.Name)
	}
	for i, v := range spec.Volumes {
		if v.Secret != nil {
			named(fmt.Sprintf("volumes[%d].secret.secretName", i), v.Secret.SecretName)
		}
		if v.Projected != nil {
			for j, s := range v.Projected.Sources {
				if s.Secret != nil {
					named(fmt.Sprintf("volumes[%d].projected.sources[%d].secret.name", i, j), s.Secret.Name)
				}
			}
		}
	}
	for _, list := range []struct {
		path       string
		containers []corev1.Container
	}{{"initContainers", spec.InitContainers}, {"containers", spec.Containers}} {
		for i, k := range list.containers {
			for j, e := range k.EnvFrom {
				if e.SecretRef != nil {
					named(fmt.Sprintf("%s[%d].envFrom[%d].secretRef.name", list.path, i, j), e.SecretRef.Name)
				}
			}
			for j, e := range k.Env {
				if e.ValueFrom != nil && e.ValueFrom.SecretKeyRef != nil {
					named(fmt.Sprintf("%s[%d].env[%d].valueFrom.secretKeyRef.name", list.path, i, j), e.ValueFrom.SecretKeyRef.Name)
				}
			}
		}
	}
}
