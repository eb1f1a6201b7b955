package document

import (
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

func (c checker) cluster(s *ClusterSpec) {
	if len(s.NodeTypes) == 0 {
		c.at("spec.nodeTypes", "none", "a cluster needs at least one node type")
	}
	if len(s.Pools) == 0 {
		c.at("spec.pools", "none", "a cluster needs at least one pool")
	}
	c.unique("spec.nodeTypes", len(s.NodeTypes), func(i int) string { return s.NodeTypes[i].Name })
	c.unique("spec.pools", len(s.Pools), func(i int) string { return s.Pools[i].Name })
	c.unique("spec.images", len(s.Images), func(i int) string { return s.Images[i].Name })
	var types []string
	for i, n := range s.NodeTypes {
		path := fmt.Sprintf("spec.nodeTypes[%d]", i)
		types = append(types, n.Name)
		if n.CPU <= n.Reserved.CPU {
			c.at(path+".reserved.cpu", n.Reserved.CPU.String(), "must leave something of the node's "+n.CPU.String())
		}
		if n.Memory <= n.Reserved.Memory {
			c.at(path+".reserved.memory", n.Reserved.Memory.String(), "must leave something of the node's "+n.Memory.String())
		}
		if n.Disk > 0 && n.Disk <= n.Reserved.Disk {
			c.at(path+".reserved.disk", n.Reserved.Disk.String(), "must leave something of the node's "+n.Disk.String())
		}
		for name, count := range n.Extended {
			if !strings.Contains(name, "/") {
				c.at(join(path+".extended", name), name, "an extended resource has a domain, as in example.org/card")
			}
			c.within(join(path+".extended", name), count, 0, 1_000_000)
		}
		if n.Speed != 0 {
			c.speed(path+".speed", n.Speed)
		}
		if n.BilledBy != 0 && (n.BilledBy < units.Second || n.BilledBy > 31*units.Day) {
			c.at(path+".billedBy", n.BilledBy.String(), "expected 1s to 31d")
		}
		c.within(path+".pods", n.Pods, 1, 10_000)
		c.within(path+".reserved.pods", n.Reserved.Pods, 0, n.Pods)
	}
	c.facts(s)
	for i, m := range s.Measured {
		if n := len(m.Spread); n != 0 && n != len(SpreadAt) || !slices.IsSorted(m.Spread) {
			c.at(fmt.Sprintf("spec.measured[%d].spread", i), fmt.Sprint(n, " times"), "expected five, rising")
		}
	}
	spotPrice := func(name string) bool {
		i := slices.IndexFunc(s.NodeTypes, func(n NodeType) bool { return n.Name == name })
		return i < 0 || s.NodeTypes[i].SpotPrice != nil
	}
	for i, p := range s.Pools {
		path := fmt.Sprintf("spec.pools[%d]", i)
		if !slices.Contains(types, p.NodeType) {
			c.at(path+".nodeType", strconv.Quote(p.NodeType), "no such node type in this cluster"+meant(p.NodeType, types))
		}
		c.within(path+".max", p.Max, 0, maxNodesOf)
		c.within(path+".min", p.Min, 0, p.Max)
		c.times(path+".boot", p.Boot)
		c.chance(path+".bootFails", p.BootFails)
		c.chance(path+".noCapacity", p.NoCapacity)
		if (p.BootFails > 0 || p.NoCapacity > 0 || p.Outages != nil) && p.RetryAfter < units.Second {
			c.at(path+".retryAfter", p.RetryAfter.String(), "expected at least 1s, so that a pool that gives no nodes is not asked without end")
		}
		c.times(path+".going", p.Going)
		c.times(path+".notReady", p.NotReady)
		if s.Volumes.Zonal && p.Labels[corev1.LabelTopologyZone] == "" {
			c.at(path+".labels", "no "+corev1.LabelTopologyZone,
				"with volumes.zonal every pool has a zone, as in {"+corev1.LabelTopologyZone+": north}")
		}
		c.within(path+".bootsAtOnce", p.BootsAtOnce, 0, maxNodesOf)
		if o := p.Outages; o != nil {
			if !(o.Share > 0 && o.Share < 1) {
				c.at(path+".outages.share", fmt.Sprint(o.Share), "expected a share of the time, above 0 and below 1")
			}
			if c.times(path+".outages.length", o.Length) && o.Length.Dist().Mean() < float64(units.Minute) {
				c.at(path+".outages.length", "too little", "expected a minute at least on average, as in {mean: 3h}")
			}
		}
		c.within(path+".pulls", p.Pulls, 1, 100)
		if p.Spot == nil {
			continue
		}
		if !(p.Spot.PerHour >= 0 && p.Spot.PerHour <= 1000) {
			c.at(path+".spot.perHour", fmt.Sprint(p.Spot.PerHour), "expected a number from 0 to 1000")
		}
		if b := p.Spot.Bulk; b != nil {
			if !(b.PerWeek >= 0 && b.PerWeek <= 10_000) {
				c.at(path+".spot.bulk.perWeek", fmt.Sprint(b.PerWeek), "expected a number from 0 to 10000")
			}
			if !(b.Share > 0 && b.Share <= 1) {
				c.at(path+".spot.bulk.share", fmt.Sprint(b.Share), "expected a chance above 0 and at most 1")
			}
		}
		if !spotPrice(p.NodeType) {
			c.at(path+".spot", "a spot pool", "node type "+p.NodeType+" needs a spotPrice")
		}
	}
	if b := s.Scheduler.Backoff; b != nil && !(b.Initial >= units.Millisecond && b.Initial <= b.Max && b.Max <= units.Hour) {
		c.at("spec.scheduler.backoff", fmt.Sprintf("initial %v, max %v", b.Initial, b.Max), "expected 1ms ≤ initial ≤ max ≤ 1h")
	}
	c.times("spec.agents.start", s.Agents.Start)
	c.times("spec.agents.join", s.Agents.Join)
	c.times("spec.agents.wipe", s.Agents.Wipe)
}

// facts checks what a cluster says of images, tools, claims and the store.
func (c checker) facts(s *ClusterSpec) {
	var pools []string
	for _, p := range s.Pools {
		pools = append(pools, p.Name)
	}
	c.unique("spec.daemonSets", len(s.DaemonSets), func(i int) string { return s.DaemonSets[i].Name })
	var images []string
	for _, image := range s.Images {
		images = append(images, image.Name)
	}
	for i, d := range s.DaemonSets {
		if d.Image != "" && !slices.Contains(images, d.Image) {
			c.at(fmt.Sprintf("spec.daemonSets[%d].image", i), strconv.Quote(d.Image), "no such image in this cluster"+meant(d.Image, images))
		}
		for j, p := range d.Pools {
			if !slices.Contains(pools, p) {
				c.at(fmt.Sprintf("spec.daemonSets[%d].pools[%d]", i, j), strconv.Quote(p), "no such pool in this cluster"+meant(p, pools))
			}
		}
	}
	c.chance("spec.links.registry.fails", s.Links.Registry.Fails)
	for i, o := range s.Links.Others {
		c.chance(fmt.Sprintf("spec.links.others[%d].fails", i), o.Fails)
	}
	if s.Links.Store.Fails != 0 {
		c.at("spec.links.store.fails", fmt.Sprint(s.Links.Store.Fails),
			"pulls fail on links that images come over; for saves there is spec.store.saveFails")
	}
	c.unique("spec.links.others", len(s.Links.Others), func(i int) string { return s.Links.Others[i].Name })
	var links []string
	for _, l := range s.Links.Others {
		links = append(links, l.Name)
	}
	sizes := map[string]units.Bytes{}
	for i, image := range s.Images {
		path := fmt.Sprintf("spec.images[%d]", i)
		if (image.Size == 0) == (len(image.Layers) == 0) {
			c.at(path+".size", image.Name, "give either size or layers")
		}
		for j, l := range image.Layers {
			if size, known := sizes[l.Name]; known && size != l.Size {
				c.at(fmt.Sprintf("%s.layers[%d].size", path, j), l.Size.String(),
					"the layer "+l.Name+" is "+size.String()+" elsewhere; the same name is the same layer")
			}
			sizes[l.Name] = l.Size
		}
		c.times(path+".makeTime", image.MakeTime)
		if image.Link != "" && !slices.Contains(links, image.Link) {
			c.at(path+".link", strconv.Quote(image.Link), "no such link in spec.links.others"+meant(image.Link, links))
		}
	}
	c.unique("spec.agents.tools", len(s.Agents.Tools), func(i int) string { return s.Agents.Tools[i].Name })
	for i, t := range s.Agents.Tools {
		path := fmt.Sprintf("spec.agents.tools[%d]", i)
		c.times(path+".install", t.Install)
		c.chance(path+".fails", t.Fails)
	}
	for i, w := range s.WaysOut {
		if _, err := netip.ParsePrefix(w.CIDR); err != nil {
			c.at(fmt.Sprintf("spec.waysOut[%d].cidr", i), strconv.Quote(w.CIDR), "expected addresses such as 10.40.0.0/16")
		}
		for j, port := range w.Ports {
			c.within(fmt.Sprintf("spec.waysOut[%d].ports[%d]", i, j), port, 1, 65535)
		}
	}
	for path, address := range map[string]string{
		"spec.controller.inside":  s.Controller.Inside,
		"spec.controller.outside": s.Controller.Outside,
	} {
		if u, err := url.Parse(address); address != "" && (err != nil || u.Scheme == "" || u.Hostname() == "") {
			c.at(path, strconv.Quote(clip(address)), "expected an address such as http://dispatch.slipway.svc:8080")
		}
	}
	if p := s.Controller.Pool; p != "" {
		at := slices.IndexFunc(s.Pools, func(x Pool) bool { return x.Name == p })
		switch {
		case at < 0:
			c.at("spec.controller.pool", strconv.Quote(p), "no such pool in this cluster")
		case s.Pools[at].Spot != nil:
			c.at("spec.controller.pool", strconv.Quote(p), "its nodes are taken back; name a pool with a node that stays")
		}
	} else if s.Controller.CPU > 0 || s.Controller.Memory > 0 {
		c.at("spec.controller.pool", "no pool", "say on the nodes of which pool it runs, so that its room can be kept there")
	}
	if v := s.Controller.Volume; v != nil && v.Size <= 0 {
		c.at("spec.controller.volume.size", v.Size.String(), "expected a size, as in 20GB")
	}
	c.times("spec.agents.update", s.Agents.Update)
	c.unique("spec.claims", len(s.Claims), func(i int) string { return s.Claims[i].Name })
	c.times("spec.volumes.attach", s.Volumes.Attach)
	c.chance("spec.store.saveFails", s.Store.SaveFails)
}
