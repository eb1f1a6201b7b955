package sim

import "tachyphor/core/template"

// quotaUse is what all agents together request of the namespace's quota.
type quotaUse struct {
	pods int
	template.Request
}

// charge books n agents (1 or −1) of a template.
func (e *engine) charge(t int32, n int) {
	q := &e.w.Templates[t].Request
	e.used.pods += n
	if n < 0 {
		e.used.CPU, e.used.Memory = e.used.CPU-q.CPU, e.used.Memory-q.Memory
	} else {
		e.used.CPU, e.used.Memory = e.used.CPU+q.CPU, e.used.Memory+q.Memory
	}
}

// overQuota reports whether one more agent of a template would break the quota,
// and of what.
func (e *engine) overQuota(t int32) (Cause, bool) {
	quota, q := &e.w.Quota, &e.w.Templates[t].Request
	switch {
	case quota.Pods != nil && e.used.pods+1 > *quota.Pods:
		return QuotaPods, true
	case quota.CPU != nil && e.used.CPU+q.CPU > *quota.CPU:
		return QuotaCPU, true
	case quota.Memory != nil && e.used.Memory+q.Memory > *quota.Memory:
		return QuotaMemory, true
	}
	return 0, false
}
