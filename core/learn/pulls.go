package learn

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// mostImages is how many images a cluster is learned with.
const mostImages = 200

// images tells the sizes of images: of the agents' where there are any, else of all that pods
// other than a DaemonSet's have.
func (g *gatherer) images() {
	wanted := map[string]bool{}
	add := func(p *podRecord) {
		for _, list := range [][]corev1.Container{p.Spec.InitContainers, p.Spec.Containers} {
			for _, c := range list {
				wanted[c.Image] = true
			}
		}
	}
	for _, p := range g.agents() {
		add(p)
	}
	if len(wanted) == 0 {
		for i := range g.Pods {
			if kind, _ := g.Pods[i].Metadata.owner(); kind != "DaemonSet" && kind != "Node" {
				add(&g.Pods[i])
			}
		}
	}
	size := map[string]int64{}
	for i := range g.Nodes {
		for _, x := range g.Nodes[i].Status.Images {
			for _, name := range x.Names {
				size[name] = x.SizeBytes
			}
		}
	}
	for i := range g.Events {
		if p, ok := pulled(&g.Events[i]); ok {
			if g.pulled = append(g.pulled, p); p.bytes > 0 {
				size[p.image] = p.bytes
			}
		}
	}
	unknown := 0
	for _, name := range slices.Sorted(maps.Keys(wanted)) {
		n := size[name]
		if n == 0 {
			unknown++
			continue
		}
		if len(g.out.spec.Images) < mostImages {
			g.out.spec.Images = append(g.out.spec.Images, document.Image{Name: name, Size: roundSize(float64(n))})
			g.fact("images."+name, roundSize(float64(n)).String(), "as nodes and pulls tell it", 1, nil)
		}
	}
	if unknown > 0 {
		g.out.Lacks = append(g.out.Lacks, fmt.Sprintf("the sizes of %s that pods have, which no node has and no pull tells",
			counted(unknown, "image", "images")))
	}
}

// A pull is an image that a node pulled.
type pull struct {
	image       string
	began, took time.Duration // since 1970; without waiting for others
	waited      time.Duration // before it began
	bytes       int64
	pod         string
}

// pulledForm is how kubelets tell a pull.
var pulledForm = regexp.MustCompile(`^Successfully pulled image "([^"]+)" in ([0-9hmsµn.]+)(?: \(([0-9hmsµn.]+) including waiting\))?(?:\. Image size: ([0-9]+) bytes\.?)?`)

// pulled reads an event that tells a pull.
func pulled(e *eventRecord) (p pull, ok bool) {
	if e.Reason != "Pulled" {
		return p, false
	}
	if p, ok = pulledAs(e.says()); ok {
		who := e.about()
		p.pod, p.began = who.Namespace+"/"+who.Name, time.Duration(e.at().UnixNano())-p.took
	}
	return p, ok
}

// pulledAs reads what a kubelet says of a pull.
func pulledAs(text string) (p pull, ok bool) {
	if !strings.HasPrefix(text, "Successfully pulled") {
		return p, false
	}
	m := pulledForm.FindStringSubmatch(text)
	if m == nil {
		return p, false
	}
	took, err := time.ParseDuration(m[2])
	if err != nil || took <= 0 {
		return p, false
	}
	p.image, p.took = m[1], took
	if whole, err := time.ParseDuration(m[3]); err == nil && whole > took {
		p.waited = whole - took
	}
	if m[4] != "" {
		p.bytes, _ = strconv.ParseInt(m[4], 10, 64)
	}
	return p, true
}

// leastPull is the smallest image whose pull tells a rate, not only how long it takes to ask.
const leastPull = 20 << 20

// A busyness is how many pulls there are at a time, summed up over time.
type busyness struct {
	at   []time.Duration
	sum  []float64 // seconds of pulls before each of these moments
	many []int     // pulls from there on
}

func busyOf(list []pull) *busyness {
	type edge struct {
		at   time.Duration
		more int
	}
	edges := make([]edge, 0, 2*len(list))
	for _, p := range list {
		edges = append(edges, edge{p.began, 1}, edge{p.began + p.took, -1})
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Compare(a.at, b.at) })
	b := &busyness{}
	now, sum := 0, 0.0
	for i, e := range edges {
		if i > 0 {
			sum += float64(float64(now) * (e.at - edges[i-1].at).Seconds())
		}
		now += e.more
		b.at, b.sum, b.many = append(b.at, e.at), append(b.sum, sum), append(b.many, now)
	}
	return b
}

// before is the seconds of pulls before a moment.
func (b *busyness) before(t time.Duration) float64 {
	i, _ := slices.BinarySearch(b.at, t)
	if i == 0 {
		return 0
	}
	return b.sum[i-1] + float64(float64(b.many[i-1])*(t-b.at[i-1]).Seconds())
}

func (b *busyness) between(from, to time.Duration) float64 { return b.before(to) - b.before(from) }

// pulls tells the rate at which images come: of pulls beside no other, what one gets; and
// where many at once get less each, what they share.
func (g *gatherer) pulls() {
	size := map[string]int64{}
	for _, i := range g.out.spec.Images {
		size[i.Name] = int64(i.Size)
	}
	var list []pull
	for _, p := range g.pulled {
		if p.bytes == 0 {
			p.bytes = size[p.image]
		}
		if p.bytes >= leastPull {
			list = append(list, p)
		}
	}
	busy := busyOf(list)
	var alone, many, shared []float64
	for _, p := range list {
		beside := busy.between(p.began, p.began+p.took)/p.took.Seconds() - 1 // others at the same time, on average
		rate := float64(p.bytes) / p.took.Seconds()
		switch {
		case beside < 0.1:
			alone = append(alone, rate)
		case beside >= 2:
			many, shared = append(many, rate), append(shared, rate*(1+beside))
		}
	}
	switch {
	case len(alone) >= leastTimes:
		f := fitted(alone)
		flow := units.Rate(rounded(f.Median, 3))
		g.out.spec.Links.Registry.PerFlow = flow
		g.fact("links.registry.perFlow", flow.String(), "pulls beside no other: size over time, so that unpacking is in it", len(alone), nil)
		if len(many) >= leastTimes {
			slices.Sort(many)
			slices.Sort(shared)
			if m := many[len(many)/2]; m < 0.8*f.Median {
				total := units.Rate(rounded(shared[len(shared)/2], 3))
				g.out.spec.Links.Registry.Down = max(total, flow)
				g.fact("links.registry.down", g.out.spec.Links.Registry.Down.String(),
					"pulls beside at least two others, which get less each", len(many), nil)
			}
		}
	case len(list) > 0:
		g.out.Lacks = append(g.out.Lacks,
			fmt.Sprintf("how fast images come: only %s of at least 20 MiB beside no other; without a limit they come at once",
				counted(len(alone), "pull", "pulls")))
	default:
		g.out.Lacks = append(g.out.Lacks, "how fast images come: no event tells a pull; without a limit they come at once")
	}
}
