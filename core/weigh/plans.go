// Package weigh holds cache plans against none over the builds that there are: what
// they do to how long people wait and to the bill, after how many builds they pay, and
// where another plan would be better.
package weigh

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Plan is cache rules that are weighed together.
type Plan struct {
	Key   string               `json:"key" doc:"Short name."`
	Label string               `json:"label" doc:"What it is."`
	Rules []document.CacheRule `json:"rules" doc:"Its cache rules, as a scenario has them; none: no cache."`
}

// Keys of plans that are spoken of.
const (
	None  = "none"
	Today = "today"
	Best  = "best-mix"

	byProject = "changed-trunk"
	byClass   = "changed-class"
)

// Copies of a workspace's volume in the standard plans.
const manyCopies = 4

// Standard are the plans that are weighed where nobody names others: none first.
// volume is the size of a volume.
func Standard(volume units.Bytes) []Plan {
	archive := func(save document.SaveRule, by document.SavedBy, scope document.CacheScope) []document.CacheRule {
		r := document.CacheRule{Plan: document.Archive, Save: save, SavedBy: by, Scope: scope, Copies: 1}
		if save == document.SaveEvery {
			r.Every = units.Day
		}
		return []document.CacheRule{r}
	}
	other := func(plan document.CachePlan, copies int) []document.CacheRule {
		r := document.CacheRule{Copies: copies}
		r.Defaults()
		r.Plan, r.Copies = plan, copies
		if plan == document.Volume {
			r.Size = volume
		}
		return []document.CacheRule{r}
	}
	return []Plan{
		{None, "no cache", []document.CacheRule{}},
		{"every-all", "archive saved after every success, by all", archive(document.EverySuccess, document.ByAll, document.ByProject)},
		{"every-trunk", "archive saved after every success, by the trunk", archive(document.EverySuccess, document.ByTrunk, document.ByProject)},
		{"changed-all", "archive saved when changed, by all", archive(document.WhenChanged, document.ByAll, document.ByProject)},
		{byProject, "archive saved when changed, by the trunk", archive(document.WhenChanged, document.ByTrunk, document.ByProject)},
		{byClass, "the same, each class its own", archive(document.WhenChanged, document.ByTrunk, document.ByClass)},
		{"daily-trunk", "archive saved once a day, by the trunk", archive(document.SaveEvery, document.ByTrunk, document.ByProject)},
		{"volume", "a volume for each project", other(document.Volume, 1)},
		{"volumes", fmt.Sprintf("%d volumes for each project", manyCopies), other(document.Volume, manyCopies)},
		{"node-disk", "left on the node's disk", other(document.NodeDisk, 1)},
		{"baked", "baked into the image, made anew nightly", other(document.Baked, 1)},
	}
}

// Keys are the keys that plans of a weighing may have.
func Keys() (keys []string) {
	for _, p := range Standard(1) {
		keys = append(keys, p.Key)
	}
	return append(keys, Today, Best)
}

// Plain are the plans of each kind that are asked for first: none, an archive that the trunk saves
// when it changed, a volume for each project, the node's disk; none where no job has a workspace.
func Plain(w *world.World) []Plan {
	largest := largestWorkspace(w)
	if largest == 0 {
		return nil
	}
	return slices.DeleteFunc(Standard(volumeOf(largest)), func(p Plan) bool {
		return !slices.Contains([]string{None, byProject, "volume", "node-disk"}, p.Key)
	})
}

// Called is what rules are called that are a standard plan; ok is false where they are none.
func Called(rules []document.CacheRule) (label string, ok bool) {
	size := units.Bytes(0)
	for _, r := range rules {
		size = r.Size
	}
	for _, p := range Standard(size) {
		if sameRules(p.Rules, rules) {
			return p.Label, true
		}
	}
	return "", false
}

// largestWorkspace is the size of the largest class's packed workspace, in bytes.
func largestWorkspace(w *world.World) (largest float64) {
	for c := range w.Classes {
		largest = max(largest, w.WorkspaceSize(c))
	}
	return largest
}

// volumeOf is the size of a volume for workspaces: unpacked, and with room to grow.
func volumeOf(largest float64) units.Bytes {
	const unpacked = 4
	return units.Bytes(math.Ceil(max(unpacked*largest, 1)/(1<<30))) << 30
}

// plansOf are the standard plans for a world, and the rules it has today where they
// are none of them.
func plansOf(w *world.World) (plans []Plan, today string) {
	plans = Standard(volumeOf(largestWorkspace(w)))
	for _, p := range plans {
		if sameRules(p.Rules, w.Rules) {
			return plans, p.Key
		}
	}
	return append(plans, Plan{Today, "as the scenario has it today", w.Rules}), Today
}

// sameRules reports whether two lists of rules do the same.
func sameRules(a, b []document.CacheRule) bool {
	same := func(x, y document.CacheRule) bool {
		return slices.Equal(x.Classes, y.Classes) && x.Plan == y.Plan && x.Save == y.Save && x.Every == y.Every && x.SavedBy == y.SavedBy &&
			x.Scope == y.Scope && x.Expires == y.Expires && (x.Plan != document.Volume || x.Copies == y.Copies && x.Size == y.Size)
	}
	return slices.EqualFunc(a, b, same)
}

// bakes reports whether a plan bakes the workspace of some class into its image.
func (x *weighing) bakes(key string) bool {
	return slices.ContainsFunc(x.plans, func(p Plan) bool {
		return p.Key == key && slices.ContainsFunc(p.Rules, func(r document.CacheRule) bool { return r.Plan == document.Baked })
	})
}

// archives reports whether a plan uses the store.
func (p Plan) archives() bool {
	return slices.ContainsFunc(p.Rules, func(r document.CacheRule) bool { return r.Plan == document.Archive })
}
