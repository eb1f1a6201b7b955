package kit

import (
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/units"
)

// CacheSecret is the name of the Secret with the keys of the cache store.
const CacheSecret = "workspace-cache"

// cache is what a scenario's cache plans need of the cluster.
type cache struct {
	Store   string // address of the store; "" when nobody said
	Archive bool
	Way     *storeWay // nil: the address is not known, or a way out covers it
	Covered string    // the way out that covers it
	Claims  []claim
	Notes   []string
}

// storeWay is the network rule for a store.
type storeWay struct {
	Namespace string // of its Service, or
	CIDR      string // its address
	Port      int
}

// claim is one volume of a workspace.
type claim struct {
	Name, Scope string
	Size        units.Bytes
}

// cacheOf reads the cache plans of a scenario; nil when there is none.
func cacheOf(in Input) *cache {
	if in.Scenario == nil {
		return nil
	}
	c := &cache{}
	rules := in.Scenario.Value.(*document.Scenario).Spec.Caching
	for i, r := range rules {
		switch r.Plan {
		case document.Archive:
			c.Archive = true
		case document.Volume:
			for _, scope := range scopes(in, rules, i) {
				for n := range r.Copies {
					c.Claims = append(c.Claims, claim{named(fmt.Sprintf("workspace-%s-%d", scope, n+1)), scope, r.Size})
				}
			}
		case document.NodeDisk:
			c.Notes = append(c.Notes, "Workspaces left on the node's disk need a folder of the node in the pod (a local volume, or a "+
				"hostPath that the namespace's pod security allows); jobs of one project then see what its jobs before left, change requests too.")
		case document.Baked:
			c.Notes = append(c.Notes, "Workspaces baked into the image need the image made anew on a schedule, with a tag for each "+
				"day: a floating tag would be pulled again and again.")
		}
	}
	if !c.Archive && len(c.Claims) == 0 && len(c.Notes) == 0 {
		return nil
	}
	if c.Archive && in.Cluster != nil {
		c.way(&in.Cluster.Value.(*document.Cluster).Spec)
	}
	return c
}

// named makes a name that Kubernetes takes: small letters, digits and dashes.
func named(s string) string {
	return strings.Trim(strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' || r == '.' {
			return r
		}
		return '-'
	}, strings.ToLower(s)), "-.")
}

// scopes are the projects or classes that rule i gives a workspace each: those of
// classes that no rule before names.
func scopes(in Input, rules []document.CacheRule, i int) []string {
	if in.Workload == nil {
		return []string{"shared"}
	}
	var out []string
	for _, k := range in.Workload.Value.(*document.Workload).Spec.Classes {
		if document.RuleOf(rules, k.Name) != i || k.Workspace.Cold.IsZero() {
			continue
		}
		if name := rules[i].ScopeOf(k.Name, k.Project); !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// way finds how agents reach the store.
func (c *cache) way(spec *document.ClusterSpec) {
	c.Store = spec.Store.Address
	u, err := url.Parse(c.Store)
	if c.Store == "" || err != nil {
		return
	}
	port := review.Port(u)
	if ip, err := netip.ParseAddr(u.Hostname()); err == nil {
		for _, w := range spec.WaysOut {
			if p, err := netip.ParsePrefix(w.CIDR); err == nil && p.Contains(ip) && (len(w.Ports) == 0 || slices.Contains(w.Ports, port)) {
				c.Covered = w.For
				return
			}
		}
		c.Way = &storeWay{CIDR: netip.PrefixFrom(ip, ip.BitLen()).String(), Port: port}
		return
	}
	if _, namespace, inside := Service(u.Hostname()); inside {
		c.Way = &storeWay{Namespace: namespace, Port: port}
	}
}
