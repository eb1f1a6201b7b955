package sizing

import (
	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
)

// SetsMemory reports whether the advice asks for some memory, rather than leaving it.
func (a *Advice) SetsMemory() bool {
	return a.Memory.Request > 0 || a.Memory.Trial > 0 || a.Best.Memory != a.Now.Memory
}

// SizedAnnotation is where a template notes what its requests rest on.
const SizedAnnotation = "tachyphor/sized"

// edits are the changes that make a template ask for the best point.
func (a *Advice) edits(at int, own corev1.Container) []document.Edit {
	out := []document.Edit{}
	path := func(list, name string) string {
		return document.Pointer("template", "spec", "containers", at, "resources", list, name)
	}
	set := func(list string, have corev1.ResourceList, name corev1.ResourceName, value string, same bool) {
		if _, there := have[name]; there && same {
			return
		}
		out = append(out, document.Edit{Op: "add", Path: path(list, string(name)), Value: value})
	}
	r := own.Resources
	b := a.Best
	set("requests", r.Requests, corev1.ResourceCPU, b.CPU.String(), a.Now.CPU == b.CPU)
	if a.SetsMemory() {
		set("requests", r.Requests, corev1.ResourceMemory, b.Memory.String(), a.Now.Memory == b.Memory)
		set("limits", r.Limits, corev1.ResourceMemory, b.Memory.String(), a.NowLimit.Memory == b.Memory)
	}
	if a.Disk.Request > 0 || a.Now.Disk != b.Disk {
		set("requests", r.Requests, corev1.ResourceEphemeralStorage, b.Disk.String(), a.Now.Disk == b.Disk)
		set("limits", r.Limits, corev1.ResourceEphemeralStorage, b.Disk.String(), a.NowLimit.Disk == b.Disk)
	}
	if _, there := r.Limits[corev1.ResourceCPU]; there {
		out = append(out, document.Edit{Op: "remove", Path: path("limits", "cpu")})
	}
	if len(out) == 0 {
		return out
	}
	return append(out, document.Edit{Op: "add", Path: document.Pointer("metadata", "annotations", SizedAnnotation), Value: a.Note})
}
